namespace Wexil.Core.Results;

/// <summary>What is at stake with keeping the page that is ahead now, and with waiting.</summary>
/// <param name="Page">The page to keep; while there is none, the one that is most likely the best.</param>
/// <param name="Confidence">How sure the test's rule is that it differs from the control as it seems, 0 to 1; for
/// the control, that the nearest challenger does. Null while there is not enough to say anything.</param>
/// <param name="LossPerThousand">What keeping it is expected to lose in a thousand visitors, in conversions or in the
/// currency's smallest unit: the chance of being wrong times what that costs.</param>
/// <param name="WaitingPerDay">What is lost a day by sending visitors to the others too; 0 where nobody comes.</param>
/// <param name="IsMoney">Both are money.</param>
public sealed record ExpectedLoss(
    TestPage Page,
    double? Confidence,
    double LossPerThousand,
    double WaitingPerDay,
    bool IsMoney
)
{
    private const int Thousand = 1000;

    /// <summary>By the main goal, of a test that somebody came to.</summary>
    /// <param name="keep">The page to keep; null while there is none.</param>
    public static ExpectedLoss From(TestResult result, TestPage? keep) =>
        From(
            [.. result.Pages.Select((page, i) => (page.Page, page.ChanceBest, page.Loss, page.AgainstControl))],
            keep,
            result,
            isMoney: false
        );

    /// <summary>By what visitors bring; the traffic is that of the test.</summary>
    /// <param name="keep">As above.</param>
    public static ExpectedLoss From(RevenueResult money, TestResult result, TestPage? keep) =>
        From(
            [.. money.Pages.Select(page => (page.Page, page.ChanceBest, page.Loss, page.AgainstControl))],
            keep,
            result,
            isMoney: true
        );

    private static ExpectedLoss From(
        IReadOnlyList<(TestPage Page, double Chance, double Loss, Comparison? Against)> pages,
        TestPage? keep,
        TestResult result,
        bool isMoney
    )
    {
        var best = keep is null ? pages.MaxBy(page => page.Chance) : pages.Single(page => page.Page.Id == keep.Id);
        // The page itself, or the challenger nearest to the control; none where a page had no visitor yet.
        var compared = pages.Where(page => page.Against is not null).OrderByDescending(page => page.Chance);
        var weights = result.Facts.Phases[^1].Weights;
        var lost = pages.Zip(weights, (page, weight) => weight / 100.0 * page.Loss).Sum() - best.Loss;
        return new(
            best.Page,
            (best.Against ?? compared.FirstOrDefault().Against)?.Confidence,
            best.Loss * Thousand,
            Math.Max(0, lost) * result.Facts.VisitorsPerDay,
            isMoney
        );
    }
}
