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
    }

    public static async Task Write(HttpContext http, HostedFile file, Caching caching)
    {
        var headers = http.Response.Headers;
        headers.XContentTypeOptions = "nosniff";
        headers.CacheControl = caching == Caching.Never ? "no-store" : "no-cache";
        if (caching == Caching.Revalidate)
        {
            headers.ETag = file.ETag;
            headers.AccessControlAllowOrigin = "*";
            if (http.Request.Headers.IfNoneMatch.Contains(file.ETag))
            {
                http.Response.StatusCode = StatusCodes.Status304NotModified;
                return;
            }
        }
        http.Response.ContentType = file.ContentType;
        http.Response.ContentLength = file.Content.Length;
        if (!HttpMethods.IsHead(http.Request.Method)) await http.Response.Body.WriteAsync(file.Content);
    }
}
