using System.CommandLine;
using Wexil.Demo;

return await new RootCommand("Wexil with made-up data.") { DemoCommand.Create() }
    .Parse(args)
    .InvokeAsync();
