using System.IO.Compression;
using System.Security.Cryptography;
using System.Text;
using Microsoft.Extensions.Caching.Memory;
using Wexil.Core.Assignments;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;
using Wexil.Store;

namespace Wexil.App.Serving;

/// <summary>A file ready to be sent, compressed beforehand where that makes it smaller.</summary>
public sealed record HostedFile(byte[] Content, string ContentType, string ETag, byte[]? Brotli, byte[]? Gzip)
{
    /// <summary>In bytes, with its compressed forms.</summary>
    public long Size => Content.Length + (Brotli?.Length ?? 0) + (Gzip?.Length ?? 0);
}

/// <summary>A hosted page ready to be shown.</summary>
/// <param name="OwnAddressOnly">Its scripts build addresses, so it is shown at its own address and not at the step's
/// link.</param>
/// <param name="Canonical">What search engines are told, as the value of a Link header.</param>
public sealed record HostedPage(
    HostedFile File,
    bool OwnAddressOnly,
    IReadOnlyList<string> BuyTargets,
    string Canonical
);

/// <summary>Keeps hosted pages and their files in memory, a bounded amount of them.</summary>
public sealed class HostedPages(
    PageStore pages,
    AssetStore assets,
    DraftStore drafts,
    ServedPages served,
    VisitorsAddress visitors,
    TroubleLog troubles
) : IDisposable
{
    private const int TooSmallToCompress = 512;
    private readonly MemoryCache _cache = new(new MemoryCacheOptions { SizeLimit = 256 << 20 });

    /// <summary>A page as visitors get it, made ready where it is not yet.</summary>
    public HostedPage Page(RoutePage page)
    {
        // Besides its content, a page is made of where its buttons lead.
        var key = (page.Id, page.Revision, page.WiringKey);
        return _cache.TryGetValue(key, out HostedPage? ready)
            ? ready!
            : Keep(key, Prepare(page), prepared => prepared.File.Size);
    }

    /// <summary>Makes the pages ready that visitors are sent to, so that none of them waits for it.</summary>
    public void Warm(RouteTable routes) =>
        _ = Task.Run(() =>
        {
            try
            {
                foreach (var page in routes.Shown.Where(page => page.Outside is null))
                    Page(page);
            }
            catch (ObjectDisposedException)
            {
                // The program ends.
            }
            catch (Exception error)
            {
                // Whatever it is: who asks for a page makes it ready then.
                troubles.Say("Pages could not be made ready ahead", error);
            }
        });

    /// <summary>A file of the page's folder; null when there is none of that name.</summary>
    public HostedFile? File(RoutePage page, string path)
    {
        var key = (page.Id, page.Revision, path);
        if (_cache.TryGetValue(key, out HostedFile? ready))
            return ready;
        if (pages.File(page.Id, page.Revision, path) is not { } file)
            return null;
        return Keep(
            key,
            Ready(file.ContentType == ContentTypes.Css ? Rooted(page, file.Content) : file.Content, file.ContentType),
            kept => kept.Size
        );
    }

    /// <summary>
    /// A file by the hash of its content, under a name that says its type; null when there is none, or pages are asked
    /// for in this way.
    /// </summary>
    public HostedFile? Asset(string hash, string name)
    {
        if (
            hash.Length != 64
            || !hash.All(char.IsAsciiHexDigitLower)
            || ContentTypes.ForPath(name) is not { } type
            || ContentTypes.IsHtml(name)
        )
            return null;
        var key = (hash, type);
        if (_cache.TryGetValue(key, out HostedFile? ready))
            return ready;
        return assets.Content(hash) is { } content ? Keep(key, Ready(content, type), kept => kept.Size) : null;
    }

    /// <summary>A draft or an earlier version, as its owner sees it.</summary>
    /// <param name="version">The version's number; null for the draft.</param>
    /// <param name="ahead">What is put in front of the page, given the revision of the draft.</param>
    public byte[] Preview(RoutePage route, int? version, PageView view, Func<long, string>? ahead)
    {
        var page = pages.Find(route.Id)!;
        var hashes = pages.Hashes(page.Id, version ?? page.Revision, withDraft: version is null);
        byte[] Prepare()
        {
            var draft = version is null ? drafts.For(page) : null;
            var source = draft?.Source ?? pages.Source(page, version!.Value);
            var serving = served.Serving(route, page.Entry!, hashes) with
            {
                View = view,
                Ahead = ahead?.Invoke(draft?.Revision ?? 0) ?? "",
            };
            return Encoding.UTF8.GetBytes(HostedHtml.Prepare(source, serving).Html);
        }
        // What is put ahead is another each time.
        if (ahead is not null)
            return Prepare();
        var key = (
            page.Id,
            version is null ? drafts.Hash(page) : hashes[page.Entry!],
            string.Join('\n', [route.WiringKey, .. hashes.Values])
        );
        return _cache.TryGetValue(key, out byte[]? ready) ? ready! : Keep(key, Prepare(), prepared => prepared.Length);
    }

    /// <inheritdoc/>
    public void Dispose() => _cache.Dispose();

    private HostedPage Prepare(RoutePage route)
    {
        var page = pages.Find(route.Id)!;
        var source = pages.Source(page, route.Revision);
        var hashes = pages.Hashes(route.Id, route.Revision);
        var scripts = HostedHtml
            .InlineScripts(source)
            .Concat(
                hashes
                    .Keys.Where(path => path.EndsWith(".js", StringComparison.OrdinalIgnoreCase))
                    .Select(path => PageText.Decode(pages.File(route.Id, route.Revision, path)!.Content))
            );
        var script = $"<script src=\"{visitors.Origin}/wexil.js\" data-page=\"{route.Slug}\" async></script>";
        var ready = HostedHtml.Prepare(source, served.Serving(route, page.Entry!, hashes) with { Ahead = script });
        return new(
            Ready(Encoding.UTF8.GetBytes(ready.Html), ContentTypes.Html),
            scripts.Any(HostedHtml.BuildsAddresses),
            ready.BuyTargets,
            $"<{visitors.Link(route.Link)}>; rel=\"canonical\""
        );
    }

    private byte[] Rooted(RoutePage page, byte[] sheet)
    {
        var css = PageText.Decode(sheet);
        var hashes = pages.Hashes(page.Id, page.Revision);
        var rooted = HostedHtml.RootedStyles(css, ServedPages.Folder(page), hashes.ContainsKey);
        return rooted == css ? sheet : Encoding.UTF8.GetBytes(rooted);
    }

    private static HostedFile Ready(byte[] content, string type)
    {
        var etag = $"\"{Convert.ToHexStringLower(SHA256.HashData(content)[..12])}\"";
        if (content.Length < TooSmallToCompress || !ContentTypes.IsText(type))
            return new(content, type, etag, null, null);
        var brotli = Compressed(content, stream => new BrotliStream(
            stream,
            new BrotliCompressionOptions { Quality = 5 }
        ));
        var gzip = Compressed(content, stream => new GZipStream(stream, CompressionLevel.Optimal));
        return new(content, type, etag, brotli, gzip);
    }

    private static byte[]? Compressed(byte[] content, Func<Stream, Stream> compressor)
    {
        using var memory = new MemoryStream();
        using (var stream = compressor(memory))
            stream.Write(content);
        var packed = memory.ToArray();
        return packed.Length < content.Length ? packed : null;
    }

    private T Keep<T>(object key, T value, Func<T, long> size) =>
        _cache.Set(key, value, new MemoryCacheEntryOptions { Size = size(value) + 256 });
}
