namespace Wexil.Core.Results;

/// <summary>What the evidence settles.</summary>
/// <param name="Kind">Ready, control wins or no difference; else too early.</param>
/// <param name="Keep">The page to keep; null while nothing is settled.</param>
/// <param name="Lift">Of the page to keep over the control, as a share; 0 for the control.</param>
/// <param name="Worse">Challengers that are surely worse than the control.</param>
public sealed record Decision(VerdictKind Kind, TestPage? Keep, double Lift, IReadOnlyList<TestPage> Worse)
{
    /// <summary>By the main goal.</summary>
    public static Decision From(TestResult result) =>
        From(
            [.. result.Pages.Select(page => (page.Page, page.AgainstControl))],
            result.Facts.Control,
            result.Facts.Alpha,
            result.Facts.SmallestLift * result.Facts.BaseRate,
            result.Control.Standard.Rate
        );

    /// <summary>By what visitors bring.</summary>
    public static Decision From(RevenueResult result) =>
        From(
            [.. result.Pages.Select(page => (page.Page, page.AgainstControl))],
            result.Facts.Control,
            result.Facts.Alpha,
            result.Margin,
            result.Control.Standard.Mean
        );

    private static Decision From(
        IReadOnlyList<(TestPage Page, Comparison? Against)> pages,
        int control,
        double alpha,
        double margin,
        double controlValue
    )
    {
        var challengers = pages.Where((_, i) => i != control).ToArray();
        bool IsWorse((TestPage, Comparison? Against) page) =>
            page.Against is { Difference: < 0 } against && against.P <= alpha;
        bool IsSame((TestPage, Comparison? Against) page) =>
            page.Against?.Interval is { } interval && interval.Low > -margin && interval.High < margin;
        TestPage[] worse = [.. challengers.Where(IsWorse).Select(page => page.Page)];
        var better = challengers
            .Where(page => page.Against is { Difference: > 0 } against && against.P <= alpha)
            .OrderByDescending(page => page.Against!.Difference)
            .FirstOrDefault();
        if (better.Page is not null)
            return new(
                VerdictKind.Ready,
                better.Page,
                controlValue > 0 ? better.Against!.Difference / controlValue : 0,
                worse
            );
        if (worse.Length == challengers.Length)
            return new(VerdictKind.ControlWins, pages[control].Page, 0, worse);
        return challengers.All(page => IsWorse(page) || IsSame(page))
            ? new(VerdictKind.NoDifference, pages[control].Page, 0, worse)
            : new(VerdictKind.TooEarly, null, 0, worse);
    }
}
