namespace Wexil.Web.Visitors;

/// <summary><c>GET /wexil.js</c>: the script for outside pages.</summary>
public sealed class ScriptEndpoint : IVisitorsEndpoint
{
    private static readonly byte[] Script = Load();

    public void Map(IEndpointRouteBuilder routes) => routes.MapGet("/wexil.js", Answer);

    private static Task Answer(HttpContext http)
    {
        http.Response.ContentType = "text/javascript; charset=utf-8";
        http.Response.Headers.CacheControl = "public, max-age=300";
        http.Response.Headers.AccessControlAllowOrigin = "*";
        http.Response.Headers.XContentTypeOptions = "nosniff";
        return http.Response.Body.WriteAsync(Script).AsTask();
    }

    private static byte[] Load()
    {
        using var stream = typeof(ScriptEndpoint).Assembly.GetManifestResourceStream("Wexil.Web.Visitors.wexil.js")!;
        using var memory = new MemoryStream();
        stream.CopyTo(memory);
        return memory.ToArray();
    }
}
