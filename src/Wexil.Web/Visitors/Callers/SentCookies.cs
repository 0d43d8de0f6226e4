namespace Wexil.Web.Visitors.Callers;

/// <summary>Reads a visitor's cookies. Most new visitors send none, and then nothing is taken apart.</summary>
public static class SentCookies
{
    /// <summary>The cookie's value; null where it was not sent.</summary>
    public static string? Cookie(this HttpRequest request, string name) =>
        request.Headers.Cookie.Count == 0 ? null : request.Cookies[name];
}
