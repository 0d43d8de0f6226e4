using System.Text.RegularExpressions;

namespace Wexil.Web.Tests;

/// <summary>
/// What a screen refuses, by the fields that it has something to say about: tests of rules look at these, since its
/// words are for people and change.
/// </summary>
internal static partial class Refusals
{
    /// <summary>The names of the fields with a problem, in the screen's order, each once.</summary>
    public static string[] Of(string html) =>
        [.. Problem().Matches(html).Select(problem => problem.Groups[1].Value).Distinct()];

    /// <inheritdoc cref="Of(string)"/>
    public static async Task<string[]> OfAsync(HttpResponseMessage answer) =>
        Of(await answer.Content.ReadAsStringAsync());

    [GeneratedRegex("data-valmsg-for=\"([^\"]+)\"[^>]*>\\s*[^<\\s]")]
    private static partial Regex Problem();
}
