using Wexil.App.Serving;

namespace Wexil.Web.Visitors;

/// <summary><c>GET /a/{hash}/{name}</c>: a file by the hash of what it holds, kept by browsers for good.</summary>
public static class AssetEndpoint
{
    public static Task Answer(HttpContext http, string hash, string name, HostedPages hosted) =>
        hosted.Asset(hash, name) is { } file
            ? FileResponse.Write(http, file, FileResponse.Caching.Immutable)
            : PlainPage.Write(http, StatusCodes.Status404NotFound, "There is no such file.");
}
