using Wexil.Core.Statistics;

namespace Wexil.Core.Results;

/// <summary>
/// A challenger on its way through the plan: where it stands, and when it may be called. The unit of time is the plan,
/// and that of the standing is the standard deviation at the plan's end.
/// </summary>
/// <param name="Progress">How much of the plan is done, 0 to 1.</param>
/// <param name="Standing">The weighted sum of differences so far.</param>
/// <param name="Line">How far from 0 it has to be to be called.</param>
/// <param name="Drift">The one that the plan is made for.</param>
/// <param name="Gain">What a visitor of the test adds to the progress; 0 while the page or the control rests.</param>
/// <param name="Weight">How much of the planned weight has come: less than the progress where visitors vary more than
/// was planned for.</param>
/// <param name="Share">What a visitor adds to that.</param>
/// <param name="IsWorse">It is called worse already, and that stays.</param>
internal readonly record struct PlanWay(
    double Progress,
    double Standing,
    double Line,
    double Drift,
    double Gain,
    double Weight,
    double Share,
    bool IsWorse
)
{
    /// <summary>Reads the way off a comparison that has a plan.</summary>
    /// <param name="alpha">That of the test.</param>
    /// <param name="level">The share of it at which the comparison is held, where it does not say one.</param>
    /// <param name="share">Of the test's visitors, nA·nB/(nA + nB) of the shares of the control and the page.</param>
    public static PlanWay Of(Comparison? compared, LookRule rule, double alpha, double level, double share)
    {
        var plan = rule.Plan!.Value;
        var deviation = Math.Sqrt(plan.Variance);
        if (compared?.Seen is not { Weight: > 0 } seen)
            return new(0, 0, PlannedTest.Line(level), rule.Drift, share / plan.Weight, 0, share / plan.Weight, false);
        // Before anybody converted, the visitors are as far as they were planned to be.
        var now = seen.Variance > 0 ? plan.Progress(seen) : seen.Weight / plan.Weight;
        return new(
            Math.Min(1, compared.Progress ?? now),
            seen.Sum.Difference / deviation,
            PlannedTest.Line(compared.Level),
            rule.Drift,
            share * now / seen.Weight,
            seen.Weight / plan.Weight,
            share / plan.Weight,
            compared is { Difference: < 0 } && compared.P <= alpha
        );
    }

    /// <summary>Visitors of the test until the plan is over; infinite while nobody is compared.</summary>
    public double Left => Progress >= 1 ? 0 : (1 - Progress) / Gain;

    /// <summary>
    /// The chances that it is called better, called worse, and surely within what is not worth finding, after so many
    /// visitors. What the drift is, it has shown so far; before that, it may be anything of the order of the planned.
    /// </summary>
    public (double Better, double Worse, double Level) Chances(double visitors)
    {
        if (IsWorse)
            return (0, 1, 0);
        if (Progress >= 1)
            return (0, 0, Math.Abs(Standing) <= Drift * Weight - Line ? 1 : 0);
        var time = Math.Min(1 - Progress, Gain * visitors);
        var variance = 1 / (Progress + 1 / (Drift * Drift));
        var drift = Standing * variance;
        var middle = Standing + drift * time;
        var spread = Math.Sqrt(time + variance * time * time);
        // The interval lies within what is not worth finding once it is narrow enough.
        var room = Drift * (Weight + Share * Math.Min(visitors, Left)) - Line;
        var level =
            room <= 0 || spread == 0
                ? 0
                : Confidence.Normal((room - middle) / spread) - Confidence.Normal((-room - middle) / spread);
        return (
            FirstPassage.Chance(Line - Standing, drift, variance, time),
            FirstPassage.Chance(Line + Standing, -drift, variance, time),
            level
        );
    }
}
