using System.CommandLine;
using Wexil.Web.Commands;

return await new RootCommand("Wexil: split tests for direct-response pages.")
{
    ServeCommand.Create(),
    SignInCommand.Create(),
    DataCommands.Backup(),
    DataCommands.Restore(),
    DataCommands.Check(),
    EvidenceCommand.Create(),
    CalibrationCommand.Create(),
}
    .Parse(args)
    .InvokeAsync();
