using Wexil.Web.Hosting;

return await Commands.Root().Parse(args).InvokeAsync();
