using System.Collections.Concurrent;
using System.Text.Json.Nodes;
using OpenQA.Selenium.Chrome;

namespace Wexil.Browser.Tests;

/// <summary>
/// A Chromium that one <see cref="Browser"/> after the other uses, each in a profile of its own that is forgotten with
/// it: starting one takes as long as many a test. The shell, which has neither windows nor menus, takes half the time;
/// where somebody types into the frame of the editor it scrolls the window, so the whole browser is used there.
/// </summary>
internal sealed class Chromium : IDisposable
{
    /// <summary>
    /// After how long the browser counts as hung: nothing is measured by it, and a busy machine may be very slow.
    /// </summary>
    private static readonly TimeSpan Hang = TimeSpan.FromMinutes(4);
    private static readonly ConcurrentBag<Chromium> IdleShells = [],
        IdleWhole = [];

    private readonly DevTools _devTools;
    private readonly string _firstWindow;
    private readonly bool _isWhole;
    private string? _profile;
    private int _window;

    static Chromium() =>
        AppDomain.CurrentDomain.ProcessExit += (_, _) =>
            Parallel.ForEach([.. IdleShells, .. IdleWhole], idle => idle.Dispose());

    private Chromium(bool isWhole)
    {
        _isWhole = isWhole;
        var options = new ChromeOptions
        {
            BinaryLocation = isWhole ? "/usr/bin/chromium" : "/usr/bin/chromium-headless-shell",
        };
        if (isWhole)
            options.AddArgument("--headless");
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
    public static Chromium Take(bool isWhole)
    {
        if (!IdleOf(isWhole).TryTake(out var chromium))
            chromium = new(isWhole);
        chromium.Open();
        return chromium;
    }

    /// <summary>Gives the window another size; the page stays.</summary>
    // The whole browser has windows no narrower than its menus; its pages are told another size.
    public void Resize(int width, int height)
    {
        if (_isWhole)
            Driver.ExecuteCdpCommand(
                "Emulation.setDeviceMetricsOverride",
                new()
                {
                    ["width"] = width,
                    ["height"] = height,
                    ["deviceScaleFactor"] = 1,
                    ["mobile"] = false,
                }
            );
        else
            _devTools.Ask(
                "Browser.setWindowBounds",
                new()
                {
                    ["windowId"] = _window,
                    ["bounds"] = new JsonObject { ["width"] = width, ["height"] = height },
                }
            );
    }

    /// <summary>Forgets the profile with all its windows.</summary>
    public void GiveBack()
    {
        Driver.SwitchTo().Window(_firstWindow);
        _devTools.Ask("Target.disposeBrowserContext", new() { ["browserContextId"] = _profile });
        IdleOf(_isWhole).Add(this);
    }

    public void Dispose()
    {
        _devTools.Dispose();
        Driver.Dispose();
    }

    private static ConcurrentBag<Chromium> IdleOf(bool isWhole) => isWhole ? IdleWhole : IdleShells;

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
