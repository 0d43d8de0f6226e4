using System.Globalization;
using Wexil.Core.Assignments;
using Wexil.Core.Common;

namespace Wexil.Web.Visitors;

/// <summary>Sends visitors on.</summary>
internal static class Onward
{
    public static void Redirect(HttpContext http, string address)
    {
        http.Response.StatusCode = StatusCodes.Status302Found;
        http.Response.Headers.Location = address;
    }

    /// <summary>Where a visitor of a step is sent when its page is outside.</summary>
    /// <param name="step">Null where the page's step is not known any more.</param>
    /// <param name="passThrough">A further parameter for the token; empty for none.</param>
    public static string Address(
        OutsideAddress outside,
        RouteStep? step,
        RoutePage page,
        string token,
        string query,
        DateTimeOffset now,
        string passThrough
    )
    {
        if (passThrough.Length > 0)
            query = $"{query}{(query.Length == 0 ? '?' : '&')}{passThrough}={token}";
        return step?.Test is { } test && test.RunsAt(now)
            ? outside.With(
                query,
                ("wx", token),
                ("wx_test", test.Id.Value.ToString(CultureInfo.InvariantCulture)),
                ("wx_page", page.Slug)
            )
            : outside.With(query, ("wx", token), ("wx_page", page.Slug));
    }
}
