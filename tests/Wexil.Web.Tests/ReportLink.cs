using System.Net;
using System.Text.RegularExpressions;

namespace Wexil.Web.Tests;

/// <summary>The report of a test, as the owner shares it.</summary>
internal static partial class ReportLink
{
    /// <summary>Makes the link on the Keep screen.</summary>
    public static async Task<string> MakeAsync(HttpClient owner, string keep, TestedStep tested)
    {
        var answer = await WexilFixture.PostAsync(owner, keep, "Report", ("test", $"{tested.Test.Value}"));
        var shown = await owner.GetStringAsync(answer.Headers.Location!.OriginalString);
        return WebUtility.HtmlDecode(Link().Match(shown).Groups[1].Value);
    }

    [GeneratedRegex("href=\"([^\"]*/report/[^\"]*)\"")]
    private static partial Regex Link();
}
