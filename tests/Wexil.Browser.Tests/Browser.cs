using System.Collections.ObjectModel;
using System.Diagnostics;
using System.Text.RegularExpressions;
using OpenQA.Selenium;
using OpenQA.Selenium.Chrome;
using OpenQA.Selenium.Interactions;

namespace Wexil.Browser.Tests;

/// <summary>A browser of somebody's own: a fresh profile, no cookies of anybody else's.</summary>
public sealed partial class Browser : IDisposable
{
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(30),
        FirstPause = TimeSpan.FromMilliseconds(10),
        LongestPause = TimeSpan.FromMilliseconds(160);
    private static readonly string Axe = File.ReadAllText(
        Path.Combine(AppContext.BaseDirectory, "lib", "axe-core", "axe.min.js")
    );
    private readonly Chromium _chromium;
    private readonly ChromeDriver _driver;

    public Browser(int width = 1280, int height = 800)
    {
        _chromium = Chromium.Take();
        _driver = _chromium.Driver;
        Resize(width, height);
    }

    /// <summary>Gives the window another size; the page stays.</summary>
    public void Resize(int width, int height)
    {
        _chromium.Resize(width, height);
        WaitFor(() => Run("return innerWidth") is long now && now == width);
    }

    public IWebDriver Driver => _driver;

    public string Address => _driver.Url;

    /// <summary>All that can be read on the page, a line for each block or row.</summary>
    public string Text => TextIn("body");

    /// <summary>All that can be read in the first element that the selector finds.</summary>
    // The driver's own reading walks every element, which takes seconds on a long page.
    public string TextIn(string css) =>
        Lines()
            .Replace(
                (string)_driver.ExecuteScript("return document.querySelector(arguments[0])?.innerText ?? ''", css)!,
                found => found.Value.Contains('\n', StringComparison.Ordinal) ? "\n" : " "
            );

    public void Open(Uri address) => _driver.Navigate().GoToUrl(address);

    public void Open(Uri site, string path) => Open(new Uri(site, path));

    /// <summary>Opens the editor of a page, and waits until it can be written in.</summary>
    public void OpenEditor(Uri site, string path, string text)
    {
        Open(site, path);
        WaitForTextIn("[data-page]", text);
        WaitFor(() => All("[data-stage][aria-busy=true]").Count == 0 ? "" : null);
    }

    public IWebElement Find(string css) => _driver.FindElement(By.CssSelector(css));

    public ReadOnlyCollection<IWebElement> All(string css) => _driver.FindElements(By.CssSelector(css));

    /// <summary>
    /// Follows the link, presses the button or opens the details with this text, or with this text in it. A part that
    /// follows the counting may be replaced before it is pressed: then what stands there now is pressed.
    /// </summary>
    public void Press(string text)
    {
        WaitFor(() =>
        {
            var element = (IWebElement?)
                _driver.ExecuteScript(
                    """
                    const words = (element) => element.textContent.replace(/\s+/g, " ").trim();
                    const shown = [...document.querySelectorAll("a, button, summary")]
                      .filter((element) => words(element).includes(arguments[0]) && element.checkVisibility());
                    const found = shown.find((element) => words(element) === arguments[0]) ?? shown[0];
                    found?.scrollIntoView({ block: "center" });
                    return found;
                    """,
                    text
                );
            element?.Click();
            return element;
        });
    }

    public void Fill(string css, string text)
    {
        var field = Find(css);
        field.Clear();
        field.SendKeys(text);
    }

    public object? Run(string script, params object[] arguments) => _driver.ExecuteScript(script, arguments);

    /// <param name="patience">For what takes long by its nature; half a minute where nothing is said.</param>
    public T WaitFor<T>(Func<T?> condition, TimeSpan? patience = null) =>
        Until(condition, patience ?? Patience, error =>
            error is StaleElementReferenceException or NoSuchElementException
        );

    /// <summary>
    /// Asks again and again, ever less often: each question has the browser lay the page out, and takes processor time
    /// from what is waited for.
    /// </summary>
    private T Until<T>(Func<T?> condition, TimeSpan patience, Predicate<Exception> isPassing)
    {
        var waited = Stopwatch.StartNew();
        Exception? last = null;
        for (var pause = FirstPause; ; pause = pause < LongestPause ? 2 * pause : pause)
        {
            try
            {
                if (condition() is { } holds && holds is not false)
                    return holds;
            }
            catch (WebDriverException error) when (isPassing(error))
            {
                last = error;
            }
            if (waited.Elapsed >= patience)
                throw new WebDriverTimeoutException(
                    $"Not within {patience.TotalSeconds:0} seconds on {Address}:\n{Text}",
                    last
                );
            Thread.Sleep(pause);
        }
    }

    public void WaitForText(string text)
    {
        try
        {
            WaitFor(() => Text.Contains(text, StringComparison.Ordinal) ? text : null);
        }
        catch (WebDriverTimeoutException error)
        {
            throw new WebDriverTimeoutException($"“{text}” is not there. {error.Message}", error);
        }
    }

    /// <summary>Does something inside a frame. What is there is waited for.</summary>
    public T In<T>(string css, Func<IWebDriver, T?> act) =>
        Until(
            () =>
            {
                _driver.SwitchTo().DefaultContent();
                _driver.SwitchTo().Frame(Find(css));
                try
                {
                    return act(_driver);
                }
                finally
                {
                    _driver.SwitchTo().DefaultContent();
                }
            },
            Patience,
            _ => true
        );

    /// <summary>
    /// Clicks something inside a frame with the mouse, wherever it is on the screen; the frame may be scaled.
    /// </summary>
    public void ClickIn(string frame, string css, double across = 0.5)
    {
        // Nobody clicks on what says that it is not ready.
        WaitFor(() => All($"[aria-busy=true] {frame}").Count == 0 ? "" : null);
        var at = In(frame, inside => (IReadOnlyDictionary<string, object>)
                ((IJavaScriptExecutor)inside).ExecuteScript(
                    """
                    const element = document.querySelector(arguments[0]);
                    if (!element) return null;
                    const top = element.getBoundingClientRect().top;
                    if (top < 0 || top > innerHeight - 40)
                      element.scrollIntoView({ block: "center", behavior: "instant" });
                    const [line] = element.getClientRects();
                    document.isClicked = false;
                    addEventListener("click", () => (document.isClicked = true), { once: true, capture: true });
                    return { x: line.left + line.width * arguments[1], y: line.top + Math.min(line.height / 2, 12) };
                    """,
                    css,
                    across
                )!);
        var place =
            (IReadOnlyDictionary<string, object>)
                _driver.ExecuteAsyncScript(
                    """
                    const done = arguments[arguments.length - 1];
                    const frame = document.querySelector(arguments[0]);
                    const scale = frame.getBoundingClientRect().width / frame.offsetWidth;
                    const under = frame.getBoundingClientRect().top + arguments[2] * scale - innerHeight + 20;
                    if (under > 0) scrollBy({ top: under, behavior: "instant" });
                    // The window may still be scrolling to where somebody wrote; people aim before they click.
                    let [last, still] = [null, 0];
                    const aim = () => {
                      const box = frame.getBoundingClientRect();
                      still = box.top === last ? still + 1 : 0;
                      last = box.top;
                      if (still < 6) return requestAnimationFrame(aim);
                      const [x, y] = [box.left + arguments[1] * scale, box.top + arguments[2] * scale];
                      done({ x: Math.round(x), y: Math.round(y), top: Math.round(box.top) });
                    };
                    aim();
                    """,
                    frame,
                    at["x"],
                    at["y"]
                )!;
        new Actions(_driver).MoveToLocation(Convert.ToInt32(place["x"]), Convert.ToInt32(place["y"])).Click().Perform();
        // A frame of another site is a process of its own, which keys would reach before the click does; nobody is as
        // quick.
        In(frame, inside => (bool)((IJavaScriptExecutor)inside).ExecuteScript("return document.isClicked === true")!);
        WaitFor(() => (bool)Run("return document.activeElement?.matches(arguments[0]) === true", frame)!);
        // Nothing but the hand moves the page, or the next click hits something else.
        var top = Run("return Math.round(document.querySelector(arguments[0]).getBoundingClientRect().top)", frame);
        Assert.Equal(Convert.ToInt32(place["top"]), Convert.ToInt32(top));
    }

    /// <summary>Keys that go to whatever has the focus, in a frame too, with a pause after each.</summary>
    public void Type(string keys, TimeSpan pause = default)
    {
        var typing = new Actions(_driver);
        foreach (var key in keys)
        {
            typing.SendKeys(key.ToString());
            if (pause > TimeSpan.Zero)
                typing.Pause(pause);
        }
        typing.Perform();
    }

    /// <summary>Has every answer to this window take so long.</summary>
    public void Slow(int milliseconds) => Network(isOffline: false, milliseconds);

    /// <summary>Takes the connection of this window away, or gives it back.</summary>
    public void Disconnect(bool isOffline) => Network(isOffline, 0);

    private void Network(bool isOffline, int latency)
    {
        _driver.ExecuteCdpCommand("Network.enable", []);
        _driver.ExecuteCdpCommand(
            "Network.emulateNetworkConditions",
            new()
            {
                ["offline"] = isOffline,
                ["latency"] = latency,
                ["downloadThroughput"] = -1,
                ["uploadThroughput"] = -1,
            }
        );
    }

    /// <summary>A key with Ctrl held.</summary>
    public void Control(string key) =>
        new Actions(_driver).KeyDown(Keys.Control).SendKeys(key).KeyUp(Keys.Control).Perform();

    /// <summary>Waits until a frame shows a text.</summary>
    public void WaitForTextIn(string css, string text) =>
        In(css, frame =>
            (bool)
                ((IJavaScriptExecutor)frame).ExecuteScript(
                    "return document.body.innerText.includes(arguments[0])",
                    text
                )!
                ? text
                : null
        );

    /// <summary>Waits until the previews of pages that are in sight have come.</summary>
    public void WaitForPreviews() =>
        WaitFor(() =>
            (bool)
                _driver.ExecuteScript(
                    """
                    const isSeen = (frame) => frame.getBoundingClientRect().top < innerHeight;
                    return !document.querySelector("noscript[data-preview]")
                      && ![...document.querySelectorAll(".frame[aria-busy]")].some(isSeen);
                    """
                )!
                ? ""
                : null
        );

    /// <summary>Nothing for axe to object to, and nothing wider than the window.</summary>
    public void IsAccessible()
    {
        // Half a megabyte, which a page that is only given another size has already.
        if (Run("return typeof axe") is "undefined")
            _driver.ExecuteScript(Axe);
        var found = (string)
            _driver.ExecuteAsyncScript(
                """
                const done = arguments[arguments.length - 1];
                const place = (node) =>
                  `  ${node.html.slice(0, 160)} ${node.any.map((check) => check.message).join(" ")}`;
                const line = (found) =>
                  `${found.id}: ${found.help}\n${found.nodes.slice(0, 4).map(place).join("\n")}`;
                axe.run(document, { iframes: false, preload: false, resultTypes: ["violations"] }).then(
                  (result) => done(result.violations.map(line).join("\n")),
                  (error) => done(String(error)));
                """
            )!;
        Assert.True(found.Length == 0, $"{Address}\n{found}");
        var over = (long)
            _driver.ExecuteScript(
                "return document.documentElement.scrollWidth - document.documentElement.clientWidth"
            )!;
        Assert.True(over <= 0, $"{Address} is {over} pixels wider than the window");
    }

    /// <summary>
    /// Read from right to left, nothing is wider than the window, and all that is pressed or read first stays within
    /// it.
    /// </summary>
    public void HoldsRightToLeft()
    {
        var outside = (string)
            _driver.ExecuteScript(
                """
                const root = document.documentElement;
                root.dir = "rtl";
                const outside = [...document.querySelectorAll("h1, h2, button, input, select, main a")]
                  .filter((element) => !element.closest(".scroll, .visually-hidden, .strip, dialog, svg"))
                  .filter((element) => element.checkVisibility())
                  .filter((element) => !element.classList.contains("visually-hidden"))
                  .filter((element) => {
                    const { left, right } = element.getBoundingClientRect();
                    return left < -1 || right > root.clientWidth + 1;
                  })
                  .map((element) => element.outerHTML.slice(0, 120));
                if (root.scrollWidth > root.clientWidth) outside.push(`${root.scrollWidth} wide`);
                root.dir = "";
                return outside.join("\n");
                """
            )!;
        Assert.True(outside.Length == 0, $"{Address}, right to left\n{outside}");
    }

    /// <summary>For who asks for less motion nothing moves by itself.</summary>
    public void KeepsStill()
    {
        var moving = (string)
            _driver.ExecuteScript(
                """
                const seconds = (list) => Math.max(...list.split(",").map(parseFloat));
                return [...document.querySelectorAll("*")]
                  .filter((element) => {
                    const style = getComputedStyle(element);
                    return seconds(style.transitionDuration) > 0.01 || seconds(style.animationDuration) > 0.01
                      || style.scrollBehavior === "smooth";
                  })
                  .map((element) => element.outerHTML.slice(0, 100))
                  .slice(0, 5)
                  .join("\n");
                """
            )!;
        Assert.True(moving.Length == 0, $"{Address} moves\n{moving}");
    }

    /// <summary>
    /// Goes on with the Tab key until a link, button or field with these words, or this label, has the focus, and that
    /// can be seen.
    /// </summary>
    public void TabTo(string words)
    {
        const int most = 150;
        for (var i = 0; i < most; i++)
        {
            Type(Keys.Tab);
            var focus = (string?)
                _driver.ExecuteScript(
                    """
                    const on = document.activeElement;
                    if (!on || on === document.body) return null;
                    const style = getComputedStyle(on);
                    const seen = style.outlineStyle !== "none" || style.boxShadow !== "none";
                    const labels = [...(on.labels ?? [])].map((label) => label.innerText);
                    const name = [on.innerText, on.getAttribute("aria-label"), ...labels];
                    return (seen ? "" : "unseen ") + name.join(" ");
                    """
                );
            if (focus?.Contains(words, StringComparison.Ordinal) != true)
                continue;
            Assert.False(
                focus.StartsWith("unseen", StringComparison.Ordinal),
                $"{Address}: no focus is seen on {words}"
            );
            return;
        }
        Assert.Fail($"{Address}: “{words}” cannot be reached with the Tab key");
    }

    public byte[] Picture() => _driver.GetScreenshot().AsByteArray;

    /// <summary>Forgets who visited the site that is open.</summary>
    public void ForgetCookies() => _driver.Manage().Cookies.DeleteAllCookies();

    public void Dispose() => _chromium.GiveBack();

    [GeneratedRegex(@"\s+")]
    private static partial Regex Lines();
}
