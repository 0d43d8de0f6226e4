using Microsoft.Extensions.Primitives;

namespace Wexil.Web.Visitors;

/// <summary>Sends a file from memory.</summary>
public static class FileResponse
{
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
        headers.CacheControl = caching switch { Caching.Never => "no-store", Caching.Revalidate => "no-cache", _ => "public, max-age=31536000, immutable" };
        if (caching != Caching.Never)
        {
            headers.ETag = file.ETag;
            headers.AccessControlAllowOrigin = "*";
            if (http.Request.Headers.IfNoneMatch.Contains(file.ETag))
            {
                http.Response.StatusCode = StatusCodes.Status304NotModified;
                return Task.CompletedTask;
            }
        }
        var content = file.Content;
        if (file.Brotli is not null || file.Gzip is not null)
        {
            headers.Vary = "Accept-Encoding";
            var accepted = http.Request.Headers.AcceptEncoding;
            if (file.Brotli is not null && Accepts(accepted, "br")) (content, headers.ContentEncoding) = (file.Brotli, "br");
            else if (file.Gzip is not null && Accepts(accepted, "gzip")) (content, headers.ContentEncoding) = (file.Gzip, "gzip");
        }
        http.Response.ContentType = file.ContentType;
        http.Response.ContentLength = content.Length;
        return HttpMethods.IsHead(http.Request.Method) ? Task.CompletedTask : http.Response.Body.WriteAsync(content).AsTask();
    }

    private static bool Accepts(StringValues accepted, string encoding)
    {
        foreach (var line in accepted)
        {
            if (line is null) continue;
            foreach (var range in line.AsSpan().Split(','))
            {
                var part = line.AsSpan()[range].Trim();
                if (part.StartsWith(encoding, StringComparison.OrdinalIgnoreCase) && !part.EndsWith("q=0", StringComparison.OrdinalIgnoreCase)) return true;
            }
        }
        return false;
    }
}
