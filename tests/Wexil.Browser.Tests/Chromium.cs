using System.Collections.Concurrent;
using System.Text.Json.Nodes;
using OpenQA.Selenium.Chrome;

namespace Wexil.Browser.Tests;

/// <summary>
/// A Chromium that one <see cref="Browser"/> after the other uses, each in a profile of its own that is forgotten with
/// it: starting one takes as long as many a test. It is the shell, which has neither windows nor menus and takes half
/// the time.
/// </summary>
internal sealed class Chromium : IDisposable
{
    /// <summary>
    /// After how long the browser counts as hung: nothing is measured by it, and a busy machine may be very slow.
    /// </summary>
    private static readonly TimeSpan Hang = TimeSpan.FromMinutes(4);
    private static readonly ConcurrentBag<Chromium> Idle = [];

    private readonly DevTools _devTools;
    private readonly string _firstWindow;
    private string? _profile;
    private int _window;

    static Chromium() =>
        AppDomain.CurrentDomain.ProcessExit += (_, _) => Parallel.ForEach(Idle, idle => idle.Dispose());

    private Chromium()
    {
        var options = new ChromeOptions { BinaryLocation = "/usr/bin/chromium-headless-shell" };
        options.AddArguments(
            "--no-sandbox",
            "--disable-gpu",
            // A page is gone before a process for drawing, or code that is optimized, pays.
            "--in-process-gpu",
            "--js-flags=--no-opt",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--disable-features=MediaRouter,OptimizationHints,PaintHolding,Translate",
            "--user-agent=Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) "
                + "Chrome/140.0.0.0 Safari/537.36",
            "--hide-scrollbars",
            "--window-size=1280,800",
            "--force-prefers-reduced-motion"
        );
        // Profiles that are forgotten would refuse other sites' cookies, which a usual one takes.
        options.AddUserProfilePreference("profile.cookie_controls_mode", 0);
        Driver = new(ChromeDriverService.CreateDefaultService("/usr/bin", "chromedriver"), options, Hang);
        Driver.Manage().Timeouts().AsynchronousJavaScript = Hang;
        _firstWindow = Driver.CurrentWindowHandle;
        _devTools = DevTools.Connect(Driver);
    }

    public ChromeDriver Driver { get; }

    /// <summary>An idle one or a new one, at an empty window of a new profile.</summary>
    public static Chromium Take()
    {
        if (!Idle.TryTake(out var chromium))
            chromium = new();
        chromium.Open();
        return chromium;
    }

    /// <summary>Gives the window another size; the page stays.</summary>
    public void Resize(int width, int height) =>
        _devTools.Ask(
            "Browser.setWindowBounds",
            new()
            {
                ["windowId"] = _window,
                ["bounds"] = new JsonObject { ["width"] = width, ["height"] = height },
            }
        );

    /// <summary>Forgets the profile with all its windows.</summary>
    public void GiveBack()
    {
        Driver.SwitchTo().Window(_firstWindow);
        _devTools.Ask("Target.disposeBrowserContext", new() { ["browserContextId"] = _profile });
        Idle.Add(this);
    }

    public void Dispose()
    {
        _devTools.Dispose();
        Driver.Dispose();
    }

    private void Open()
    {
        _profile = (string)_devTools.Ask("Target.createBrowserContext", [])["browserContextId"]!;
        var created = _devTools.Ask(
            "Target.createTarget",
            new() { ["url"] = "about:blank", ["browserContextId"] = _profile }
        );
        var target = (string)created["targetId"]!;
        _window = (int)_devTools.Ask("Browser.getWindowForTarget", new() { ["targetId"] = target })["windowId"]!;
        Driver.SwitchTo().Window(target);
    }
}
