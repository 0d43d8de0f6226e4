using System.Diagnostics;
using Wexil.Tests;

namespace Wexil.Web.Tests.Published;

/// <summary>
/// What <c>./wexil publish</c> makes. <c>./wexil test</c> makes it beforehand and says where; otherwise it is made
/// here, once for all tests of it.
/// </summary>
public sealed class PublishedFixture : IAsyncLifetime
{
    private static readonly string? Made = Environment.GetEnvironmentVariable("WEXIL_PUBLISHED");

    public string Folder { get; } = Made ?? Path.Combine(TemporaryFolder.Create("published"), "wexil");

    public string Program => Path.Combine(Folder, "wexil");

    public async Task InitializeAsync()
    {
        if (Made is not null)
            return;
        using var publish = Process.Start(
            new ProcessStartInfo(Repository.At("wexil"), ["publish", Folder]) { RedirectStandardError = true }
        )!;
        var said = await publish.StandardError.ReadToEndAsync();
        await publish.WaitForExitAsync();
        Assert.True(publish.ExitCode == 0, said);
    }

    public Task DisposeAsync()
    {
        if (Made is null)
            TemporaryFolder.Delete(Folder);
        return Task.CompletedTask;
    }

    /// <summary>Runs one of its commands to the end, on a machine that knows no SDK.</summary>
    public async Task<(int Code, string Said, string Problems)> RunAsync(params string[] arguments)
    {
        using var program = Start(arguments);
        var (said, problems) = (program.StandardOutput.ReadToEndAsync(), program.StandardError.ReadToEndAsync());
        await program.WaitForExitAsync();
        return (program.ExitCode, await said, await problems);
    }

    /// <summary>Starts one of its commands, on a machine that knows no SDK.</summary>
    public Process Start(params string[] arguments)
    {
        var start = new ProcessStartInfo(Program, arguments)
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        start.Environment.Clear();
        start.Environment["PATH"] = "/nowhere";
        return Process.Start(start)!;
    }
}
