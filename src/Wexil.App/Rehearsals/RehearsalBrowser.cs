using System.Diagnostics;
using System.Net;
using Wexil.App.Fetching;
using Wexil.Core.Pages;
using Wexil.Core.Visitors;
using Wexil.Pages.Rehearsing;
using Wexil.Pages.Serving;
using Wexil.Store;

namespace Wexil.App.Rehearsals;

/// <summary>What a rehearsal visitor's browser shows.</summary>
/// <param name="Address">After redirects.</param>
/// <param name="Problem">Why there is no page; null where there is one.</param>
internal sealed record ShownPage(Uri Address, string Html, string? Problem);

/// <summary>
/// The browser of one rehearsal visitor: it keeps cookies, follows redirects and sends forms, runs no scripts, and
/// writes down all that it asks for.
/// </summary>
internal sealed class RehearsalBrowser : IDisposable
{
    private const int MaxRedirects = 8;

    private readonly CookieContainer _cookies = new();
    private readonly HttpClient _client;
    private readonly VisitorId _visitor;
    private readonly RehearsalStore _store;

    /// <param name="visitors">The host that visitors come to, which may be on a private network.</param>
    public RehearsalBrowser(
        VisitorId visitor,
        Device device,
        VisitorsAddress visitors,
        bool allowPrivate,
        RehearsalStore store
    )
    {
        (_visitor, _store) = (visitor, store);
        _client = new(Handler(visitors.Address, allowPrivate)) { Timeout = Timeout.InfiniteTimeSpan };
        _client.DefaultRequestHeaders.TryAddWithoutValidation("User-Agent", Agent(device));
        _client.DefaultRequestHeaders.TryAddWithoutValidation("Accept", "text/html,application/xhtml+xml,*/*;q=0.8");
        _cookies.Add(visitors.Address, new Cookie(VisitorId.CookieName, visitor.ToString(), "/"));
    }

    public Task<ShownPage> OpenAsync(string words, Uri address, CancellationToken stop) =>
        FollowAsync(words, new(HttpMethod.Get, address), stop);

    public Task<ShownPage> SendAsync(string words, PageForm form, CancellationToken stop)
    {
        if (form.IsPost)
            return FollowAsync(
                words,
                new(HttpMethod.Post, form.Action) { Content = new FormUrlEncodedContent(form.Fields) },
                stop
            );
        var query = string.Join(
            '&',
            form.Fields.Select(field => $"{Uri.EscapeDataString(field.Key)}={Uri.EscapeDataString(field.Value)}")
        );
        return OpenAsync(words, new UriBuilder(form.Action) { Query = query }.Uri, stop);
    }

    /// <summary>Sends a message as a script or a payment service does; no page comes of it.</summary>
    /// <returns>What is wrong, in words; null where it was taken.</returns>
    public async Task<string?> TellAsync(
        string words,
        Uri address,
        HttpContent message,
        CancellationToken stop,
        params (string Name, string Value)[] headers
    )
    {
        using var request = new HttpRequestMessage(HttpMethod.Post, address) { Content = message };
        foreach (var (name, value) in headers)
            request.Headers.TryAddWithoutValidation(name, value);
        var (told, _) = await AskAsync(words, request, stop);
        return told.Problem;
    }

    /// <summary>Writes down what was found without asking for anything.</summary>
    public Task NoteAsync(string words, Uri address, bool isProblem = false) =>
        _store.AskedAsync(_visitor, new(words, address, IsProblem: isProblem));

    /// <inheritdoc/>
    public void Dispose() => _client.Dispose();

    private async Task<ShownPage> FollowAsync(string words, HttpRequestMessage request, CancellationToken stop)
    {
        for (var redirects = 0; ; redirects++)
        {
            ShownPage shown;
            Uri? onward;
            using (request)
                (shown, onward) = await AskAsync(words, request, stop);
            if (onward is null)
                return shown;
            if (redirects == MaxRedirects)
                return shown with { Problem = $"{onward.Host} redirects in a loop." };
            (words, request) = ("Was redirected", new(HttpMethod.Get, onward));
        }
    }

    private async Task<(ShownPage Shown, Uri? Onward)> AskAsync(
        string words,
        HttpRequestMessage request,
        CancellationToken stop
    )
    {
        var (address, began) = (request.RequestUri!, Stopwatch.GetTimestamp());
        var (status, shown, onward) = await AnswerAsync(request, stop);
        await _store.AskedAsync(
            _visitor,
            new(
                words,
                address,
                status,
                (int)Stopwatch.GetElapsedTime(began).TotalMilliseconds,
                shown.Html.Length > 0 ? HostedHtml.Title(shown.Html) ?? "" : "",
                IsProblem: shown.Problem is not null
            )
        );
        return (shown, onward);
    }

    private async Task<(int Status, ShownPage Shown, Uri? Onward)> AnswerAsync(
        HttpRequestMessage request,
        CancellationToken stop
    )
    {
        var address = request.RequestUri!;
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(stop);
        patience.CancelAfter(PageFetcher.Patience);
        try
        {
            using var answer = await _client.SendAsync(
                request,
                HttpCompletionOption.ResponseHeadersRead,
                patience.Token
            );
            var status = (int)answer.StatusCode;
            if (status is >= 300 and < 400 && answer.Headers.Location is { } location)
                return (status, new(address, "", null), new Uri(address, location));
            if (await PageFetcher.ReadAsync(answer.Content, PageFetcher.MaxPageBytes, patience.Token) is not { } body)
                return (status, new(address, "", $"The page at {address.Host} is too large."), null);
            var type = answer.Content.Headers.ContentType;
            var html = type?.MediaType == "text/html" ? PageText.Decode(body, type.CharSet?.Trim('"')) : "";
            var problem = answer.IsSuccessStatusCode ? null : $"{address.Host} responded with {status}.";
            return (status, new(address, html, problem), null);
        }
        catch (Exception error) when (!stop.IsCancellationRequested)
        {
            return (0, new(address, "", PageFetcher.Problem(error, address.Host)), null);
        }
    }

    private SocketsHttpHandler Handler(Uri visitors, bool allowPrivate) =>
        new()
        {
            AutomaticDecompression = DecompressionMethods.All,
            AllowAutoRedirect = false,
            CookieContainer = _cookies,
            ConnectCallback = (context, stop) =>
                AddressGuard.ConnectAsync(
                    context.DnsEndPoint.Host,
                    context.DnsEndPoint.Port,
                    // The visitors' own host is asked wherever it is.
                    allowPrivate
                        || context.DnsEndPoint.Host == visitors.Host && context.DnsEndPoint.Port == visitors.Port,
                    stop
                ),
            ConnectTimeout = TimeSpan.FromSeconds(10),
            MaxResponseHeadersLength = 64,
            UseProxy = false,
        };

    private static string Agent(Device device) =>
        device switch
        {
            Device.Phone => "Mozilla/5.0 (Linux; Android 15; Pixel 9) AppleWebKit/537.36 (KHTML, like Gecko) "
                + "Chrome/140.0.0.0 Mobile Safari/537.36",
            Device.Tablet => "Mozilla/5.0 (iPad; CPU OS 18_0 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) "
                + "Version/18.0 Mobile/15E148 Safari/604.1",
            _ => "Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 "
                + "Safari/537.36",
        };
}
