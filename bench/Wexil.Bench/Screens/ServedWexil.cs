using System.Diagnostics;
using System.Net;
using System.Text.RegularExpressions;

namespace Wexil.Bench.Screens;

/// <summary>A Wexil in a process of its own, as an owner starts it, with its owner signed in.</summary>
public sealed partial class ServedWexil : IAsyncDisposable
{
    private readonly Process _process;

    private ServedWexil(Process process, Uri studio, Uri visitors, HttpClient owner, CookieContainer cookies) =>
        (_process, Studio, Visitors, Owner, Cookies) = (process, studio, visitors, owner, cookies);

    public Uri Studio { get; }
    public Uri Visitors { get; }
    public HttpClient Owner { get; }

    /// <summary>The owner's.</summary>
    public CookieContainer Cookies { get; }

    /// <summary>What the process has in memory, in bytes.</summary>
    public long Memory
    {
        get
        {
            _process.Refresh();
            return _process.WorkingSet64;
        }
    }

    /// <param name="project">The project whose program it is: Wexil.Web or Wexil.Demo.</param>
    public static async Task<ServedWexil> StartAsync(string project, string command, string folder)
    {
        var home = Environment.GetEnvironmentVariable("WEXIL_HOME")
            ?? throw new InvalidOperationException("WEXIL_HOME is not set; start the benches by ./wexil bench.");
        var (studio, visitors) = (
            new Uri($"http://localhost:{BenchWorld.FreePort()}"),
            new Uri($"http://127.0.0.1:{BenchWorld.FreePort()}")
        );
        var process = new Process
        {
            StartInfo = new("dotnet")
            {
                ArgumentList =
                {
                    Path.Combine(home, "src", project, "bin", "Release", "net10.0", $"{project}.dll"),
                    command,
                    "--data",
                    folder,
                    "--studio",
                    studio.ToString(),
                    "--visitors",
                    visitors.ToString(),
                },
                RedirectStandardOutput = true,
            },
        };
        process.Start();
        var cookies = new CookieContainer();
        var owner = new HttpClient(new HttpClientHandler { CookieContainer = cookies }) { BaseAddress = studio };
        var printed = "";
        while (await process.StandardOutput.ReadLineAsync() is { } line)
        {
            printed += line + "\n";
            if (!line.Contains("Ctrl+C", StringComparison.Ordinal))
                continue;
            var link = SignInLink().Match(printed);
            await owner.GetAsync(link.Success ? link.Value : await LinkAsync(home, folder));
            _ = process.StandardOutput.ReadToEndAsync();
            return new(process, studio, visitors, owner, cookies);
        }
        throw new InvalidOperationException($"{project} did not start.");
    }

    /// <summary>The link that the owner asks for on the command line.</summary>
    private static async Task<string> LinkAsync(string home, string folder)
    {
        var program = Path.Combine(home, "src", "Wexil.Web", "bin", "Release", "net10.0", "Wexil.Web.dll");
        var start = new ProcessStartInfo("dotnet", [program, "sign-in", "--data", folder])
        {
            RedirectStandardOutput = true,
        };
        using var command = Process.Start(start)!;
        return SignInLink().Match(await command.StandardOutput.ReadToEndAsync()).Value;
    }

    public async ValueTask DisposeAsync()
    {
        Owner.Dispose();
        using (Process.Start("kill", ["-TERM", $"{_process.Id}"]))
            await _process.WaitForExitAsync();
        _process.Dispose();
    }

    [GeneratedRegex(@"http://\S+/sign-in\?key=\S+")]
    private static partial Regex SignInLink();
}
