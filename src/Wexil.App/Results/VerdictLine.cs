using Wexil.App.Wording;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Store;

namespace Wexil.App.Results;

/// <summary>What came of a test, in a few words.</summary>
public sealed record VerdictLine(StoredVerdict Verdict, SplitTest Test)
{
    /// <summary>As it stood when the page was kept.</summary>
    public Evidence Evidence { get; } = Evidence.Parse(Verdict.Evidence);

    /// <summary>It was not taken back.</summary>
    public bool Stands => Verdict.TakenBackAt is null;

    /// <summary>The place of the page kept among those of the test; 0 is the control.</summary>
    public int Place { get; } = Test.Pages.TakeWhile(page => page != Verdict.Page).Count();

    /// <summary>Of all pages together.</summary>
    public long Visitors => Evidence.Pages.Sum(page => page.Visitors);

    /// <summary>
    /// The lift that was to be expected of the kept page; null where it was not called by a plan.
    /// </summary>
    public double? Expected =>
        Place < Evidence.Pages.Count && Evidence.Pages[Place].Expected is { } expected && Evidence.Pages[0].Rate > 0
            ? expected / Evidence.Pages[0].Rate
            : null;

    /// <summary>
    /// What the kept page brought more than the one it replaced, by the main goal; null where this is no check.
    /// </summary>
    public MeasuredUplift? Measured =>
        Replaced is { Difference: { } difference } replaced
            ? MeasuredUplift.From(difference, Ends(replaced.Range), replaced.Rate)
            : null;

    /// <summary>The same by what visitors brought, in the smallest unit of the evidence's currency.</summary>
    public MeasuredUplift? MeasuredByMoney =>
        Replaced is { More: { } more, Brought: { } brought } replaced
            ? MeasuredUplift.From(more, Ends(replaced.MoreRange), brought)
            : null;

    private EvidencePage? Replaced => Test.Check is not null && Evidence.Pages is [_, var replaced] ? replaced : null;

    private static Interval? Ends(double[]? range) => range is [var low, var high] ? new Interval(low, high) : null;

    /// <summary>"kept B, +15%", "kept B, +29% (expect +18%)"; of a check "measured +12% (−3% to +27%)".</summary>
    public string Result
    {
        get
        {
            if (Test.Check is not null)
                return Checked;
            if (Place == 0)
                return Evidence.Kind == nameof(VerdictKind.NoDifference) ? "no difference found" : "control kept";
            var (control, kept) = (Evidence.Pages[0], Evidence.Pages[Place]);
            if (kept.Difference is not { } difference || control.Rate <= 0)
                return $"kept {kept.Letter}";
            var lift = Format.Lift(difference / control.Rate);
            var expected = Expected is { } less && Format.Lift(less) != lift ? $" (expect {Format.Lift(less)})" : "";
            return $"kept {kept.Letter}, {lift}{expected}";
        }
    }

    private string Checked
    {
        get
        {
            var measured = Measured is { } uplift ? new UpliftWords(uplift, false, Evidence.Many, _ => "").Brief : null;
            var end = Place == 0 ? "" : ", page brought back";
            return measured is null ? $"measured too little to tell{end}" : $"measured {measured}{end}";
        }
    }
}
