using System.Globalization;
using Microsoft.Extensions.Primitives;

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
    /// <remarks>Written as the framework writes it, without the objects that it makes for each: most visitors are
    /// given one.</remarks>
    public static void Give(this HttpResponse response, string name, string value, TimeSpan life)
    {
        var age = (long)life.TotalSeconds;
        var secure = response.HttpContext.Request.IsHttps ? "secure; " : "";
        var cookie = string.Create(
            CultureInfo.InvariantCulture,
            stackalloc char[256],
            $"{name}={Uri.EscapeDataString(value)}; max-age={age}; path=/; {secure}samesite=lax; httponly"
        );
        response.Headers.SetCookie = StringValues.Concat(response.Headers.SetCookie, cookie);
    }
}
