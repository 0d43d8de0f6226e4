using Microsoft.Extensions.Primitives;
using Wexil.App.Serving;

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
        headers.CacheControl = caching switch
        {
            Caching.Never => "no-store",
            Caching.Revalidate => "no-cache",
            _ => "public, max-age=31536000, immutable",
        };
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
        ReadOnlyMemory<byte> content = file.Content;
        if (file.Brotli is not null || file.Gzip is not null)
        {
            headers.Vary = "Accept-Encoding";
            var accepted = http.Request.Headers.AcceptEncoding;
            if (file.Brotli is not null && Accepts(accepted, "br"))
                (content, headers.ContentEncoding) = (file.Brotli, "br");
            else if (file.Gzip is not null && Accepts(accepted, "gzip"))
                (content, headers.ContentEncoding) = (file.Gzip, "gzip");
        }
        else if (caching != Caching.Never && file.ContentType.AsSpan(0, 5) is "video" or "audio")
        {
            // Some browsers play nothing that they cannot ask for in pieces.
            headers.AcceptRanges = "bytes";
            if (Part(http, content.Length) is { } part)
            {
                http.Response.StatusCode = StatusCodes.Status206PartialContent;
                headers.ContentRange = $"bytes {part.Start}-{part.End - 1}/{content.Length}";
                content = content[part.Start..part.End];
            }
        }
        http.Response.ContentType = file.ContentType;
        http.Response.ContentLength = content.Length;
        return HttpMethods.IsHead(http.Request.Method)
            ? Task.CompletedTask
            : http.Response.Body.WriteAsync(content).AsTask();
    }

    /// <summary>The one stretch that is asked for; null when it is all, or several, or none that there is.</summary>
    private static (int Start, int End)? Part(HttpContext http, int length)
    {
        if (http.Request.GetTypedHeaders().Range is not { Unit.Value: "bytes" } asked || asked.Ranges.Count != 1)
            return null;
        var range = asked.Ranges.First();
        var start = range.From ?? Math.Max(0, length - (range.To ?? 0));
        var end = range.From is null ? length : Math.Min(length, (range.To ?? length - 1) + 1);
        return start < end && start < length ? ((int)start, (int)end) : null;
    }

    private static bool Accepts(StringValues accepted, string encoding)
    {
        foreach (var line in accepted)
        {
            if (line is null)
                continue;
            foreach (var range in line.AsSpan().Split(','))
            {
                var part = line.AsSpan()[range].Trim();
                if (
                    part.StartsWith(encoding, StringComparison.OrdinalIgnoreCase)
                    && !part.EndsWith("q=0", StringComparison.OrdinalIgnoreCase)
                )
                    return true;
            }
        }
        return false;
    }
}
