using System.Net;
using System.Text.RegularExpressions;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Time.Testing;
using Wexil.App.Visits;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Store;
using Wexil.Tests;
using Wexil.Web.Hosting;
using Wexil.Web.Studio.Account;

namespace Wexil.Web.Tests;

/// <summary>
/// A whole Wexil in this process, on free ports, with an empty store of its own, a clock that stands still and chance
/// from a seed.
/// </summary>
public sealed partial class WexilFixture : IAsyncLifetime
{
    public WexilHost Host { get; private set; } = null!;

    // Far ahead, so that no cookie of the tests is ever over by the clock of the machine.
    public FakeTimeProvider Time { get; } = new(new DateTimeOffset(2040, 11, 9, 8, 0, 0, TimeSpan.Zero));
    public Uri Studio => Host.Options.Studio;
    public Uri Visitors => Host.Options.Visitors;

    public T Get<T>()
        where T : notnull => Host.Services.GetRequiredService<T>();

    private (CookieCollection Cookies, DateTimeOffset Until)? _session;

    /// <summary>What a test has otherwise.</summary>
    public Func<WexilOptions, WexilOptions> Adjust { get; init; } = options => options;

    public async Task InitializeAsync() =>
        Host = await WexilHost.StartAsync(
            Adjust(
                new WexilOptions
                {
                    Data = EmptyStore.Create("web"),
                    Studio = new($"http://localhost:{FreePort()}"),
                    Visitors = new($"http://127.0.0.1:{FreePort()}"),
                    // A test says itself what falls due, so that nothing happens beside it.
                    FollowsClock = false,
                    // Made-up passwords need no slow hashes.
                    PasswordIterations = 100,
                    // As on a server, whatever this machine allows.
                    OpenFiles = 65_536,
                }
            ),
            Time,
            new SeededChance(4)
        );

    public async Task DisposeAsync()
    {
        await Host.DisposeAsync();
        TemporaryFolder.Delete(Host.Options.Data);
    }

    public const string Desktop =
        "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Safari/537.36";
    public const string Phone =
        "Mozilla/5.0 (iPhone; CPU iPhone OS 18_0 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) "
        + "Version/18.0 Mobile/15E148 Safari/604.1";

    /// <summary>Someone on the visitors' side, with a browser and cookies of their own.</summary>
    public HttpClient Visitor(bool cookies = true, string agent = Desktop)
    {
        var client = new HttpClient(new SocketsHttpHandler { AllowAutoRedirect = false, UseCookies = cookies })
        {
            BaseAddress = Visitors,
        };
        client.DefaultRequestHeaders.UserAgent.ParseAdd(agent);
        return client;
    }

    /// <summary>The owner, signed in.</summary>
    public async Task<HttpClient> OwnerAsync()
    {
        // Signing in is limited to a few times a minute, so the tests of a class share one session.
        var cookies = new CookieContainer();
        HttpClient client = new(new SocketsHttpHandler { AllowAutoRedirect = false, CookieContainer = cookies })
        {
            BaseAddress = Studio,
        };
        if (_session is var (session, until) && Time.GetUtcNow() < until)
        {
            cookies.Add(session);
            return client;
        }
        var answer = await client.GetAsync($"/sign-in?key={Get<SignInLinks>().Issue()}");
        Assert.Equal(HttpStatusCode.Redirect, answer.StatusCode);
        _session = (cookies.GetCookies(Studio), Time.GetUtcNow().AddDays(1));
        return client;
    }

    /// <summary>Sends a form as a browser does: after reading the page that it stands on.</summary>
    public static Task<HttpResponseMessage> PostAsync(
        HttpClient client,
        string page,
        string handler,
        params (string Name, string Value)[] fields
    ) => PostAsync(client, page, page, handler, fields);

    /// <summary>A page's source as a person reads it: entities as their letters, white space as one space.</summary>
    public static string Read(string html) =>
        System.Text.RegularExpressions.Regex.Replace(WebUtility.HtmlDecode(html), @"\s+", " ");

    /// <summary>Sends a form that stands on one page and goes to another.</summary>
    public static async Task<HttpResponseMessage> PostAsync(
        HttpClient client,
        string page,
        string to,
        string handler,
        params (string Name, string Value)[] fields
    )
    {
        var form = new FormUrlEncodedContent(
            fields
                .Append(("__RequestVerificationToken", await TokenAsync(client, page)))
                .Select(field => KeyValuePair.Create(field.Item1, field.Item2))
        );
        return await client.PostAsync(
            handler.Length == 0 ? to : $"{to}{(to.Contains('?') ? '&' : '?')}handler={handler}",
            form
        );
    }

    /// <summary>What a form of a page must send along.</summary>
    public static async Task<string> TokenAsync(HttpClient client, string page) =>
        Token().Match(await client.GetStringAsync(page)).Groups[1].Value;

    /// <summary>
    /// A funnel with an opt-in step that has two pages and a thank-you step that has one, and a test on the first.
    /// </summary>
    public async Task<TestedStep> StartTestAsync(
        string slug,
        Weights? weights = null,
        Uri? outsideB = null,
        Uri? outsideThanks = null
    )
    {
        var funnel = await Get<FunnelStore>().CreateAsync(slug);
        var step = (await Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.OptIn, slug, slug))!;
        var thanks = (await Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.ThankYou, "Thanks", slug + "-thanks"))!;
        var pages = Get<PageStore>();
        var a = await pages.AddAsync(
            step.Id,
            slug + " a",
            Bundle("<link rel=stylesheet href=css/a.css><h1>Page A</h1><form><input type=email name=email></form>")
        );
        var b = outsideB is null
            ? await pages.AddAsync(step.Id, slug + " b", Bundle("<h1>Page B</h1>"))
            : await pages.AddAsync(step.Id, slug + " b", outsideB);
        var last = outsideThanks is null
            ? await pages.AddAsync(thanks.Id, slug + " end", Bundle("<h1>Thanks</h1>"))
            : await pages.AddAsync(thanks.Id, slug + " end", outsideThanks);
        var test = await Get<TestStore>()
            .StartAsync(new(step.Id, thanks.Id, slug, "", 0.2, 0.2, [a, b], weights ?? Weights.Even(2)));
        return new(funnel, step, thanks, test!.Value, pages.Find(a)!, pages.Find(b)!, pages.Find(last)!);
    }

    /// <summary>Visitors and conversions of a test, once everything is counted.</summary>
    public async Task<(long Visitors, long Conversions)> CountedAsync(TestId test)
    {
        await Host.Journal.WhenProjectedAsync();
        var stored = Get<TestStore>().Find(test)!;
        var arms = Get<TallyStore>()
            .Phases(stored, Get<TestStore>().Phases(test))
            .SelectMany(phase => phase.Arms)
            .ToArray();
        return (arms.Sum(arm => arm.Visitors), arms.Sum(arm => arm.Conversions));
    }

    public static PageBundle Bundle(string html) =>
        new(
            [
                new("index.html", System.Text.Encoding.UTF8.GetBytes(html)),
                new("css/a.css", "h1{color:green}"u8.ToArray()),
            ],
            "index.html"
        );

    public static int FreePort() => FreePorts.Next();

    [GeneratedRegex("""name="__RequestVerificationToken" type="hidden" value="([^"]+)""")]
    private static partial Regex Token();
}

/// <summary>What <see cref="WexilFixture.StartTestAsync"/> made.</summary>
public sealed record TestedStep(Funnel Funnel, Step Step, Step Thanks, TestId Test, Page A, Page B, Page End);

/// <summary>A Wexil of a test's own, for what must not touch the others'.</summary>
internal sealed class FreshWexil : IAsyncDisposable
{
    public WexilFixture Wexil { get; } = new();

    public Task InitializeAsync() => Wexil.InitializeAsync();

    public async ValueTask DisposeAsync() => await Wexil.DisposeAsync();
}
