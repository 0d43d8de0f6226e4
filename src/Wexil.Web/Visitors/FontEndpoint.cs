namespace Wexil.Web.Visitors;

/// <summary><c>GET /fonts/{name}.woff2</c>: the typefaces of the documents that the owner shares.</summary>
public sealed class FontEndpoint(IWebHostEnvironment environment) : IVisitorsEndpoint
{
    private static readonly Dictionary<string, string> Files = new()
    {
        ["text"] = "lib/atkinson-hyperlegible-next/atkinson-hyperlegible-next-latin-wght-normal.woff2",
        ["head"] = "lib/bricolage-grotesque/bricolage-grotesque-latin-wght-normal.woff2",
    };

    public void Map(IEndpointRouteBuilder routes) => routes.MapGet("/fonts/{name}.woff2", Answer);

    private async Task Answer(HttpContext http)
    {
        if (!Files.TryGetValue(http.Part("name"), out var file))
        {
            http.Response.StatusCode = StatusCodes.Status404NotFound;
            return;
        }
        http.Response.ContentType = "font/woff2";
        http.Response.Headers.CacheControl = "public, max-age=604800";
        http.Response.Headers.XContentTypeOptions = "nosniff";
        await http.Response.SendFileAsync(environment.WebRootFileProvider.GetFileInfo(file));
    }
}
