using Microsoft.Net.Http.Headers;
using Wexil.App.Serving;

namespace Wexil.Web.Visitors;

/// <summary>Sends a file from memory.</summary>
public static class FileResponse
{
    /// <summary>How long a browser may keep a file.</summary>
    public enum Caching
    {
        /// <summary>The next visitor may be due another page.</summary>
        Never,

        /// <summary>Kept, but asked about each time.</summary>
        Revalidate,

        /// <summary>Kept for good: what is at this address never changes.</summary>
        Immutable,
    }

    public static Task Write(HttpContext http, HostedFile file, Caching caching)
    {
        var headers = http.Response.Headers;
        headers.XContentTypeOptions = "nosniff";
        headers.CacheControl = caching switch
        {
            Caching.Never => "no-store",
            Caching.Revalidate => "no-cache",
            _ => "public, max-age=31536000, immutable",
        };
        var content = Encoded(http, file);
        if (caching == Caching.Never)
            return WriteAll(http, content, file.ContentType);
        headers.AccessControlAllowOrigin = "*";
        // Some browsers play nothing that they cannot ask for in pieces.
        var isPlayed = file.ContentType.AsSpan(0, 5) is "video" or "audio";
        return TypedResults
            .Bytes(content, file.ContentType, enableRangeProcessing: isPlayed, entityTag: new(file.ETag))
            .ExecuteAsync(http);
    }

    private static Task WriteAll(HttpContext http, ReadOnlyMemory<byte> content, string type)
    {
        http.Response.ContentType = type;
        http.Response.ContentLength = content.Length;
        return HttpMethods.IsHead(http.Request.Method)
            ? Task.CompletedTask
            : http.Response.Body.WriteAsync(content).AsTask();
    }

    /// <summary>The content as the browser takes it; says so in the headers.</summary>
    private static byte[] Encoded(HttpContext http, HostedFile file)
    {
        if (!file.IsCompressible)
            return file.Content;
        var headers = http.Response.Headers;
        headers.Vary = "Accept-Encoding";
        _ = StringWithQualityHeaderValue.TryParseList(http.Request.Headers.AcceptEncoding.ToArray()!, out var accepted);
        if (Accepts(accepted, "br") && file.Brotli is { } brotli)
        {
            headers.ContentEncoding = "br";
            return brotli;
        }
        if (Accepts(accepted, "gzip") && file.Gzip is { } gzip)
        {
            headers.ContentEncoding = "gzip";
            return gzip;
        }
        return file.Content;
    }

    private static bool Accepts(IList<StringWithQualityHeaderValue>? accepted, string encoding) =>
        accepted?.Any(value =>
            value.Quality is not 0 && value.Value.Equals(encoding, StringComparison.OrdinalIgnoreCase)
        ) == true;
}
