using Wexil.Core.Pages;
using Wexil.Pages.Serving;
using Wexil.Store;

namespace Wexil.App.Installation;

/// <summary>
/// What visits say against a check: a page's source need not hold what a tag manager puts there, so that a visit that
/// is reported proves the script.
/// </summary>
public static class ProvenByVisits
{
    /// <summary>A visit so long before a check proves little: the script may have gone since.</summary>
    private static readonly TimeSpan Recent = TimeSpan.FromDays(1);

    /// <summary>The check with the findings that a visit since has disproved, or one shortly before has put in
    /// doubt.</summary>
    /// <param name="seen">When a real visitor's browser last told of the page; null for never.</param>
    /// <param name="asked">When its start lines last asked; null for never.</param>
    public static PageCheck Apply(PageCheck check, DateTimeOffset? seen, DateTimeOffset? asked) =>
        check with
        {
            Findings =
            [
                .. check.Findings.Select(finding =>
                    ScriptCheck.Things.Contains(finding.What) ? Judge(finding, check.At, seen)
                    : finding.What == StartLines.There ? Judge(finding, check.At, asked)
                    : finding
                ),
            ],
        };

    private static Finding Judge(Finding finding, DateTimeOffset checkedAt, DateTimeOffset? seen)
    {
        if (finding.Good != false || seen is not { } at || at < checkedAt - Recent)
            return finding;
        return at > checkedAt
            ? finding with
            {
                Good = true,
                Words = "Visits are recorded.",
                Mend = "",
            }
            : finding with
            {
                Good = null,
                Words = $"{finding.Words} But it worked shortly before the check, so something else may load it.",
            };
    }
}
