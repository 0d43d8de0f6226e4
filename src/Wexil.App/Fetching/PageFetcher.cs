using System.Net;
using System.Net.Sockets;
using System.Text;
using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Pages.Importing;
using Wexil.Pages.Source;
using Wexil.Store;

namespace Wexil.App.Fetching;

/// <summary>A file of a page that could not be had, and why.</summary>
public sealed record Missing(Uri Address, string Why);

/// <summary>A page fetched with what it needs.</summary>
public sealed record Fetched(PageBundle Bundle, IReadOnlyList<Missing> Missing);

/// <summary>A page as it is served elsewhere.</summary>
/// <param name="Address">After redirects.</param>
/// <param name="Policies">The values of its Content-Security-Policy headers.</param>
/// <param name="Robots">The values of its X-Robots-Tag headers.</param>
public sealed record FoundPage(Uri Address, string Html, IReadOnlyList<string> Policies, IReadOnlyList<string> Robots);

/// <summary>How far a fetch has come.</summary>
public sealed record FetchProgress(int Done, int Known, long Bytes, string Now);

/// <summary>
/// Fetches a page and the files that it needs, within bounds, and rewrites the page so that it finds them here.
/// </summary>
public sealed class PageFetcher(SettingStore settings) : IDisposable
{
    /// <summary>A page that is larger is not read.</summary>
    internal const int MaxPageBytes = 4 << 20;

    // A style sheet is taken apart, which needs many times its size.
    private const int MaxFileBytes = 16 << 20,
        MaxSheetBytes = 2 << 20,
        MaxTotalBytes = 64 << 20,
        MaxFiles = 500,
        AtOnce = 6;

    /// <summary>The address lies in a private network and was not asked.</summary>
    public const string NotAsked = "private address, not looked at";

    /// <summary>How long another server may take to answer.</summary>
    internal static readonly TimeSpan Patience = TimeSpan.FromSeconds(15);

    private readonly HttpClient _public = Client(allowPrivate: false),
        _any = Client(allowPrivate: true);

    /// <exception cref="FetchException">The page itself cannot be had; says why in words.</exception>
    /// <exception cref="OperationCanceledException">It was stopped.</exception>
    public async Task<Fetched> FetchAsync(Uri address, IProgress<FetchProgress> progress, CancellationToken stop)
    {
        var client = settings.FetchesPrivateAddresses ? _any : _public;
        progress.Report(new(0, 1, 0, address.Host));
        var (page, why) = await GetAsync(client, address, MaxPageBytes, stop);
        if (page is null)
            throw new FetchException(why!);
        if (page.Type is not ("text/html" or "application/xhtml+xml"))
            throw new FetchException(
                "This address does not return a web page, but "
                    + $"{(page.Type.Length == 0 ? "an unknown file type" : page.Type)}."
            );
        var html = PageText.Decode(page.Content, page.Charset);
        if (PageSource.Problem(html) is { } problem)
            throw new FetchException(problem);
        return await new Collecting(client, page.Address, progress, page.Content.Length, stop).CollectAsync(html);
    }

    /// <summary>A page's source with its content policies, or what is wrong, in words.</summary>
    public async Task<(FoundPage? Page, string? Problem)> PageAsync(Uri address, CancellationToken stop)
    {
        if ((await LookAsync(address, stop)).Problem is { } problem)
            return (null, problem == NotAsked ? NotAsked : $"{char.ToUpperInvariant(problem[0])}{problem[1..]}.");
        var (page, why) = await GetAsync(
            settings.FetchesPrivateAddresses ? _any : _public,
            address,
            MaxPageBytes,
            stop
        );
        if (page is null)
            return (null, why);
        var html = PageText.Decode(page.Content, page.Charset);
        return PageSource.Problem(html) is { } unfit
            ? (null, unfit)
            : (new(page.Address, html, page.Policies, page.Robots), null);
    }

    /// <summary>Sends a form as a browser would. Null when it was taken.</summary>
    public async Task<SendFailure?> PostFormAsync(
        Uri address,
        IEnumerable<KeyValuePair<string, string>> fields,
        CancellationToken stop
    )
    {
        using var form = new FormUrlEncodedContent(fields);
        using var request = new HttpRequestMessage(HttpMethod.Post, address) { Content = form };
        return await SendAsync(request, stop);
    }

    /// <summary>Tells an address by asking it. Null when it was taken.</summary>
    public async Task<SendFailure?> TellAsync(Uri address, CancellationToken stop)
    {
        using var request = new HttpRequestMessage(HttpMethod.Get, address);
        return await SendAsync(request, stop);
    }

    /// <summary>Only the head of the answer is read, so that nothing an answer holds can do harm.</summary>
    private async Task<SendFailure?> SendAsync(HttpRequestMessage request, CancellationToken stop)
    {
        var host = request.RequestUri!.Host;
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(stop);
        patience.CancelAfter(Patience);
        try
        {
            var client = settings.FetchesPrivateAddresses ? _any : _public;
            using var answer = await client.SendAsync(
                request,
                HttpCompletionOption.ResponseHeadersRead,
                patience.Token
            );
            return answer.IsSuccessStatusCode
                ? null
                : new(
                    $"{host} responded with {(int)answer.StatusCode}.",
                    answer.StatusCode is >= HttpStatusCode.InternalServerError or HttpStatusCode.TooManyRequests
                );
        }
        catch (Exception error) when (!stop.IsCancellationRequested)
        {
            return new(Problem(error, host), IsServiceDown: true);
        }
    }

    /// <summary>Does an address answer? Where it was found, after redirects; or what is wrong, in words.</summary>
    public async Task<(Uri? Found, string? Problem)> LookAsync(Uri address, CancellationToken stop)
    {
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(stop);
        patience.CancelAfter(Patience);
        try
        {
            var client = settings.FetchesPrivateAddresses ? _any : _public;
            using var answer = await client.GetAsync(address, HttpCompletionOption.ResponseHeadersRead, patience.Token);
            return answer.IsSuccessStatusCode
                ? (answer.RequestMessage!.RequestUri, null)
                : (null, $"error {(int)answer.StatusCode}");
        }
        catch (Exception error) when (!stop.IsCancellationRequested)
        {
            // What the guard refuses was never asked, so nothing is known of it.
            if (Inner<PrivateAddressException>(error) is not null)
                return (null, NotAsked);
            if (error is OperationCanceledException)
                return (null, "no response in time");
            return (null, Inner<SocketException>(error) is not null ? "no connection" : "its response cannot be read");
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        _public.Dispose();
        _any.Dispose();
    }

    private sealed record Answer(
        Uri Address,
        byte[] Content,
        string Type,
        string? Charset,
        IReadOnlyList<string> Policies,
        IReadOnlyList<string> Robots
    );

    private static HttpClient Client(bool allowPrivate)
    {
        var handler = new SocketsHttpHandler
        {
            AutomaticDecompression = DecompressionMethods.All,
            ConnectCallback = (context, stop) =>
                AddressGuard.ConnectAsync(context.DnsEndPoint.Host, context.DnsEndPoint.Port, allowPrivate, stop),
            ConnectTimeout = TimeSpan.FromSeconds(10),
            MaxAutomaticRedirections = 5,
            MaxResponseHeadersLength = 64,
            UseCookies = false,
            UseProxy = false,
        };
        var client = new HttpClient(handler) { Timeout = Timeout.InfiniteTimeSpan };
        client.DefaultRequestHeaders.UserAgent.ParseAdd("Mozilla/5.0 (compatible; Wexil)");
        client.DefaultRequestHeaders.Accept.ParseAdd("text/html,application/xhtml+xml,*/*;q=0.8");
        return client;
    }

    private static async Task<(Answer? Answer, string? Why)> GetAsync(
        HttpClient client,
        Uri address,
        int longest,
        CancellationToken stop
    )
    {
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(stop);
        patience.CancelAfter(Patience);
        try
        {
            using var response = await client.GetAsync(
                address,
                HttpCompletionOption.ResponseHeadersRead,
                patience.Token
            );
            return response.IsSuccessStatusCode
                ? await ReadAsync(response, longest, patience.Token)
                : (null, $"{address.Host} responded with {(int)response.StatusCode} {response.ReasonPhrase}.");
        }
        catch (Exception error) when (!stop.IsCancellationRequested)
        {
            return (null, Problem(error, address.Host));
        }
    }

    private static async Task<(Answer? Answer, string? Why)> ReadAsync(
        HttpResponseMessage response,
        int longest,
        CancellationToken stop
    )
    {
        var type = response.Content.Headers.ContentType;
        if (type?.MediaType == "text/css")
            longest = Math.Min(longest, MaxSheetBytes);
        if (response.Content.Headers.ContentLength > longest)
            return (null, $"It is larger than {longest >> 20} MB.");
        if (await ReadAsync(response.Content, longest, stop) is not { } body)
            return (null, $"It is larger than {longest >> 20} MB.");
        return (
            new(
                response.RequestMessage!.RequestUri!,
                body,
                type?.MediaType?.ToLowerInvariant() ?? "",
                type?.CharSet?.Trim('"'),
                Values(response, "Content-Security-Policy"),
                Values(response, "X-Robots-Tag")
            ),
            null
        );
    }

    private static string[] Values(HttpResponseMessage response, string header) =>
        response.Headers.TryGetValues(header, out var values) ? [.. values] : [];

    // Null where there is more than that, whatever the headers said.
    internal static async Task<byte[]?> ReadAsync(HttpContent content, int longest, CancellationToken stop)
    {
        await using var stream = await content.ReadAsStreamAsync(stop);
        using var memory = new MemoryStream();
        var buffer = new byte[81920];
        int read;
        while ((read = await stream.ReadAsync(buffer, stop)) > 0)
        {
            memory.Write(buffer, 0, read);
            if (memory.Length > longest)
                return null;
        }
        return memory.ToArray();
    }

    /// <summary>
    /// What went wrong with an answer, in words. Whatever another server sends (a broken encoding, a redirect that is
    /// no address) is a problem of that server's, so there is no exception that this does not take.
    /// </summary>
    internal static string Problem(Exception error, string host)
    {
        if (Inner<PrivateAddressException>(error) is { } isPrivate)
            return isPrivate.Message;
        if (error is OperationCanceledException)
            return $"{host} did not respond within {Patience.TotalSeconds:0} seconds.";
        return Inner<SocketException>(error)?.SocketErrorCode switch
        {
            SocketError.HostNotFound or SocketError.NoData or SocketError.TryAgain => $"No site found at {host}.",
            not null => $"No connection to {host}.",
            null => error is HttpRequestException or IOException
                ? $"{host} closed the connection: {error.Message}"
                : $"{host} sent a response that cannot be read: {error.Message}",
        };
    }

    private static T? Inner<T>(Exception error)
        where T : Exception
    {
        for (Exception? inner = error; inner is not null; inner = inner.InnerException)
            if (inner is T found)
                return found;
        return null;
    }

    /// <summary>One page on its way in: what it needs, what of that was had, and where it is put.</summary>
    private sealed class Collecting(
        HttpClient client,
        Uri page,
        IProgress<FetchProgress> progress,
        long bytes,
        CancellationToken stop
    )
    {
        private readonly Lock _lock = new();
        private readonly Dictionary<Uri, string> _paths = [];
        private readonly Dictionary<Uri, Answer> _sheets = [];
        private readonly List<PageFile> _files = [];
        private readonly List<Missing> _missing = [];
        private readonly HashSet<Uri> _known = [];
        private readonly HashSet<string> _taken = new(StringComparer.OrdinalIgnoreCase);
        private long _bytes = bytes;
        private int _done = 1;

        public async Task<Fetched> CollectAsync(string html)
        {
            // Style sheets name further files, and those are known only once the sheets are here.
            var wanted = New(PageReferences.Find(html, page));
            while (wanted.Count > 0)
            {
                await Parallel.ForEachAsync(
                    wanted,
                    new ParallelOptions { MaxDegreeOfParallelism = AtOnce, CancellationToken = stop },
                    async (address, _) => await TakeAsync(address)
                );
                wanted = New(
                    _sheets.Values.SelectMany(sheet => PageReferences.FindInStyles(Text(sheet), sheet.Address))
                );
            }
            foreach (var (address, sheet) in _sheets)
                _files.Add(
                    new(
                        _paths[address],
                        Encoding.UTF8.GetBytes(
                            PageReferences.RewriteStyles(Text(sheet), sheet.Address, other =>
                                Local(other, inFiles: true)
                            )
                        )
                    )
                );
            _files.Insert(
                0,
                new(
                    "index.html",
                    Encoding.UTF8.GetBytes(PageReferences.Rewrite(html, page, other => Local(other, inFiles: false)))
                )
            );
            return new(
                new(_files, "index.html"),
                [.. _missing.OrderBy(missing => missing.Address.AbsoluteUri, StringComparer.Ordinal)]
            );
        }

        private List<Uri> New(IEnumerable<Uri> addresses)
        {
            var found = new List<Uri>();
            foreach (var address in addresses)
            {
                if (!_known.Add(address))
                    continue;
                if (_known.Count <= MaxFiles)
                    found.Add(address);
                else if (_known.Count == MaxFiles + 1)
                    _missing.Add(
                        new(
                            address,
                            $"The page needs more than {MaxFiles} files; the rest stay at their original address."
                        )
                    );
            }
            return found;
        }

        private async Task TakeAsync(Uri address)
        {
            progress.Report(new(_done, Math.Min(_known.Count, MaxFiles) + 1, _bytes, address.Segments[^1]));
            var (answer, why) = await GetAsync(client, address, MaxFileBytes, stop);
            lock (_lock)
            {
                _done++;
                if (answer is not null && _bytes + answer.Content.Length > MaxTotalBytes)
                    (answer, why) = (null, $"Importing it would make the page larger than {MaxTotalBytes >> 20} MB.");
                var extension = answer is null ? null : ContentTypes.Extension(answer.Type, address.AbsolutePath);
                if (extension == ".css" && answer!.Content.Length > MaxSheetBytes)
                    (answer, extension, why) = (null, null, $"It is larger than {MaxSheetBytes >> 20} MB.");
                if (answer is not null && extension is null)
                    why =
                        $"It is {(answer.Type.Length == 0 ? "of no type" : answer.Type)}, a file type that "
                        + "cannot be imported.";
                if (answer is null || extension is null)
                {
                    _missing.Add(new(address, why!));
                    return;
                }
                _bytes += answer.Content.Length;
                var path = _paths[address] = Path(address, extension);
                if (extension == ".css")
                    _sheets[address] = answer;
                else
                    _files.Add(new(path, PageText.AsUtf8(path, answer.Content)));
            }
        }

        private string Path(Uri address, string extension)
        {
            var name = Slug.From(
                System.IO.Path.GetFileNameWithoutExtension(Uri.UnescapeDataString(address.AbsolutePath))
            );
            var free = Slug.Free(name, slug => _taken.Contains(slug + extension));
            _taken.Add(free + extension);
            return $"files/{free}{extension}";
        }

        private string? Local(Uri address, bool inFiles) =>
            _paths.TryGetValue(address, out var path)
                ? inFiles
                    ? path["files/".Length..]
                    : path
                : null;

        private static string Text(Answer sheet) => PageText.Decode(sheet.Content, sheet.Charset);
    }
}

/// <summary>A page that cannot be fetched; the message is for the person who asked for it.</summary>
public sealed class FetchException(string message) : Exception(message);
