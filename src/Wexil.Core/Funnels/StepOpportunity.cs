using Wexil.Core.Common;
using Wexil.Core.Statistics;

namespace Wexil.Core.Funnels;

/// <summary>What is known of a step's traffic.</summary>
/// <param name="PerDay">New visitors a day lately.</param>
/// <param name="Reached">Visitors who ever reached it.</param>
public readonly record struct StepTraffic(double PerDay, long Reached);

/// <summary>What a better page at a step would bring.</summary>
/// <param name="Next">Where those go who do what the step is for.</param>
/// <param name="PerDay">Its new visitors a day lately.</param>
/// <param name="GoesOn">The share of its visitors who go on.</param>
/// <param name="Better">The share of a page that is better by the lift.</param>
/// <param name="MorePerWeek">Visitors more a week who would go on.</param>
/// <param name="WorthPerWeek">What these would bring, in the owner's currency's smallest unit; null where the funnel's
/// visitors brought nothing yet.</param>
/// <param name="Days">How long a test of two pages takes to find it.</param>
public sealed record StepOpportunity(
    Step Step,
    Step Next,
    double PerDay,
    double GoesOn,
    double Better,
    double MorePerWeek,
    double? WorthPerWeek,
    double Days
)
{
    /// <summary>The lift that a better page is thought to have.</summary>
    public const double Lift = 0.2;

    /// <summary>Below so many visitors the share who go on is a guess.</summary>
    public const long MinVisitors = 100;

    private const double MaxDays = 365;

    /// <summary>
    /// The steps of a funnel where a better page would bring something that a test can find within a year. Each visitor
    /// who goes on is worth what all who reached the next step brought, shared out evenly.
    /// </summary>
    /// <param name="steps">The funnel's steps in order.</param>
    /// <param name="earned">What the funnel's visitors brought so far, in the owner's currency's smallest unit.</param>
    public static IEnumerable<StepOpportunity> Find(
        IReadOnlyList<Step> steps,
        IReadOnlyDictionary<StepId, StepTraffic> traffic,
        long earned
    )
    {
        foreach (var step in steps)
        {
            if (step.IsArchived || step.Kind == StepKind.ThankYou || FunnelPath.Yes(steps, step) is not { } next)
                continue;
            var (here, there) = (traffic.GetValueOrDefault(step.Id), traffic.GetValueOrDefault(next.Id).Reached);
            if (here.PerDay <= 0 || here.Reached < MinVisitors || there <= 0 || there >= here.Reached)
                continue;
            var rate = (double)there / here.Reached;
            // Where hardly anyone leaves there is no room for a fifth more.
            if (Planner.HighestLift(rate) < Lift)
                continue;
            var better = rate * (1 + Lift);
            var days = Planner.PlannedTotal(rate, Lift, pages: 2) / here.PerDay;
            if (days > MaxDays)
                continue;
            var more = here.PerDay * 7 * (better - rate);
            yield return new(
                step,
                next,
                here.PerDay,
                rate,
                better,
                more,
                earned > 0 ? more * earned / there : null,
                days
            );
        }
    }
}
