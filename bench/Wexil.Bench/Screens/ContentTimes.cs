using OpenQA.Selenium;
using OpenQA.Selenium.Chrome;

namespace Wexil.Bench.Screens;

/// <summary>How long a screen's main content takes to show in Chromium.</summary>
public sealed class ContentTimes : IDisposable
{
    private const string Chromium = "/usr/bin/chromium";

    /// <summary>Hands the time over once no larger part of the page has shown for a while.</summary>
    private const string LargestPaint = """
        const done = arguments[0];
        let last = 0;
        new PerformanceObserver(list => { for (const entry of list.getEntries()) last = entry.startTime; })
          .observe({ type: 'largest-contentful-paint', buffered: true });
        setTimeout(() => done(last), 250);
        """;

    private readonly ChromeDriver _driver;
    private readonly Uri _site;

    private ContentTimes(ChromeDriver driver, Uri site) => (_driver, _site) = (driver, site);

    /// <summary>Null where Chromium is not installed.</summary>
    public static ContentTimes? Start(ServedWexil served)
    {
        if (!File.Exists(Chromium))
            return null;
        var options = new ChromeOptions { BinaryLocation = Chromium };
        options.AddArguments("--headless", "--no-sandbox", "--disable-gpu", "--window-size=1280,800");
        var driver = new ChromeDriver(ChromeDriverService.CreateDefaultService("/usr/bin", "chromedriver"), options);
        driver.Manage().Timeouts().AsynchronousJavaScript = TimeSpan.FromSeconds(30);
        driver.Navigate().GoToUrl(new Uri(served.Studio, "/wexil.svg"));
        foreach (System.Net.Cookie cookie in served.Cookies.GetCookies(served.Studio))
            driver.Manage().Cookies.AddCookie(new(cookie.Name, cookie.Value));
        return new(driver, served.Studio);
    }

    /// <summary>From the click until the largest part of the first view has shown, in milliseconds.</summary>
    public double Of(string path)
    {
        _driver.Navigate().GoToUrl(new Uri(_site, path));
        return Convert.ToDouble(_driver.ExecuteAsyncScript(LargestPaint));
    }

    public void Dispose() => _driver.Dispose();
}
