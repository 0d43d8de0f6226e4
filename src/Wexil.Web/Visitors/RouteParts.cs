namespace Wexil.Web.Visitors;

/// <summary>Reads the named parts of an address.</summary>
internal static class RouteParts
{
    /// <summary>The methods of an address that is only read.</summary>
    public static readonly string[] Read = ["GET", "HEAD"];

    /// <summary>A part that the address has wherever it matches.</summary>
    public static string Part(this HttpContext http, string name) => (string)http.Request.RouteValues[name]!;
}
