using System.Security.Cryptography;
using System.Text;
using Microsoft.Extensions.Caching.Memory;
using Wexil.Core.Pages;
using Wexil.Core.Splits;
using Wexil.Store;

namespace Wexil.Web.Visitors;

/// <summary>A file ready to be sent.</summary>
public sealed record HostedFile(byte[] Content, string ContentType, string ETag);

/// <summary>A hosted page ready to be shown.</summary>
/// <param name="OwnAddressOnly">Its scripts build addresses, so it is shown at its own address and not at the step's link.</param>
public sealed record HostedPage(HostedFile File, bool OwnAddressOnly);

/// <summary>Keeps hosted pages and their files in memory, a bounded amount of them.</summary>
public sealed class HostedPages(PageStore pages) : IDisposable
{
    private readonly MemoryCache _cache = new(new MemoryCacheOptions { SizeLimit = 256 << 20 });

    public static string Folder(RoutePage page) => $"/p/{page.Slug}/";

    public HostedPage Page(RoutePage page)
    {
        var key = (page.Id, page.Revision);
        return _cache.TryGetValue(key, out HostedPage? ready) ? ready! : Keep(key, Prepare(page), prepared => prepared.File.Content.Length);
    }

    /// <summary>A file of the page's folder; null when there is none of that name.</summary>
    public HostedFile? File(RoutePage page, string path)
    {
        var key = (page.Id, page.Revision, path);
        if (_cache.TryGetValue(key, out HostedFile? ready)) return ready;
        return pages.File(page.Id, path) is { } file ? Keep(key, Ready(file.Content, file.ContentType), kept => kept.Content.Length) : null;
    }

    /// <summary>A source of the page that is not stored, made ready in the same way.</summary>
    public static byte[] Prepare(RoutePage page, string entry, string source) => Encoding.UTF8.GetBytes(HostedHtml.Prepare(source, entry, Folder(page)));

    public void Dispose() => _cache.Dispose();

    private HostedPage Prepare(RoutePage page)
    {
        var stored = pages.Find(page.Id)!;
        var source = pages.Source(stored);
        var scripts = HostedHtml.InlineScripts(source)
            .Concat(pages.Paths(page.Id).Where(path => path.EndsWith(".js", StringComparison.OrdinalIgnoreCase)).Select(path => PageText.Decode(pages.File(page.Id, path)!.Content)));
        return new(Ready(Prepare(page, stored.Entry!, source), ContentTypes.Html), scripts.Any(HostedHtml.BuildsAddresses));
    }

    private static HostedFile Ready(byte[] content, string type) => new(content, type, $"\"{Convert.ToHexStringLower(SHA256.HashData(content)[..12])}\"");

    private T Keep<T>(object key, T value, Func<T, int> size) => _cache.Set(key, value, new MemoryCacheEntryOptions { Size = size(value) + 256 });
}
