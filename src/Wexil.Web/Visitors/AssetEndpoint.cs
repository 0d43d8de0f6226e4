using Wexil.App.Serving;

namespace Wexil.Web.Visitors;

/// <summary><c>GET /a/{hash}/{name}</c>: a file by the hash of what it holds, kept by browsers for good.</summary>
public sealed class AssetEndpoint(HostedPages hosted) : IVisitorsEndpoint
{
    public void Map(IEndpointRouteBuilder routes) => routes.MapMethods("/a/{hash}/{name}", RouteParts.Read, Answer);

    private Task Answer(HttpContext http) =>
        hosted.Asset(http.Part("hash"), http.Part("name")) is { } file
            ? FileResponse.Write(http, file, FileResponse.Caching.Immutable)
            : PlainPage.Write(http, StatusCodes.Status404NotFound, "File not found.");
}
