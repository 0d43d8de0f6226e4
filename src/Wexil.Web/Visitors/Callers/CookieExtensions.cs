namespace Wexil.Web.Visitors.Callers;

/// <summary>A visitor's cookies, read and given.</summary>
public static class CookieExtensions
{
    /// <summary>
    /// The cookie's value; null where it was not sent. Most new visitors send none, and then nothing is taken apart.
    /// </summary>
    public static string? Cookie(this HttpRequest request, string name) =>
        request.Headers.Cookie.Count == 0 ? null : request.Cookies[name];

    /// <summary>Gives a cookie for every address of this host, which no script reads.</summary>
    /// <param name="life">How long it lasts; nothing takes it away.</param>
    public static void Give(this HttpResponse response, string name, string value, TimeSpan life) =>
        response.Cookies.Append(
            name,
            value,
            new CookieOptions
            {
                MaxAge = life,
                Path = "/",
                HttpOnly = true,
                SameSite = SameSiteMode.Lax,
                Secure = response.HttpContext.Request.IsHttps,
            }
        );
}
