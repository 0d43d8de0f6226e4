using Wexil.App.Wording;

namespace Wexil.Web;

/// <summary>Writes numbers, money, days and times as the languages of a request's browser do.</summary>
internal static class ReaderLanguage
{
    // Browsers name a few; a header may hold thousands.
    private const int MaxNamed = 10;

    public static void Use(HttpContext http) =>
        Locale.Use(
            http.Request.GetTypedHeaders()
                .AcceptLanguage.Take(MaxNamed)
                .OrderByDescending(language => language.Quality ?? 1)
                .Select(language => language.Value.ToString())
        );
}
