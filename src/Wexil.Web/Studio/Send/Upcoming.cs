using Wexil.App.Visits;
using Wexil.App.Wording;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Simulation;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Send;

/// <summary>What lies ahead with some settings, in letters and words.</summary>
/// <param name="Next">The letters of the pages that the next ten visitors who take part would get.</param>
/// <param name="Shares">How share and weights multiply; empty where everyone takes part.</param>
/// <param name="Plan">How many visitors the test takes, and how many more with another page.</param>
public sealed record Ahead(IReadOnlyList<string> Next, string Shares, string Plan);

/// <summary>Works out what lies ahead.</summary>
public sealed class Upcoming(Routes routes, TurnKeeper turns, IChance chance, TimeProvider time)
{
    private const int Visitors = 10;

    // A shorter way is named where it saves as large a share.
    private const double WorthSaying = 0.03;

    /// <param name="baseRate">In percent, as in the form; so is the lift.</param>
    /// <param name="perDay">New visitors a day; 0 when not known.</param>
    public Ahead For(
        StepScreen screen,
        Weights weights,
        Allocation allocation,
        int share,
        double baseRate,
        double smallestLift,
        double perDay
    ) =>
        new(
            [.. Next(screen, weights, allocation).Select(PageLetter.At)],
            Shares(weights, share),
            Plan(weights, screen.ComparedBeside, allocation, share, baseRate, smallestLift, perDay)
        );

    private IEnumerable<int> Next(StepScreen screen, Weights weights, Allocation allocation)
    {
        if (allocation != Allocation.Rotation)
        {
            // Ten made-up visitors, drawn as real ones are.
            return Enumerable
                .Range(0, Visitors)
                .Select(_ =>
                    weights.PageAt(
                        HashBucket.Unit(VisitorId.New(time.GetUtcNow(), chance), screen.Reading?.Test.Id ?? default)
                    )
                );
        }
        var running = routes.Current.Step(screen.Step.Id)?.Test;
        return running is { Allocation: Allocation.Rotation, Phase: not null } && running.Weights.Equals(weights)
            ? turns.Upcoming(running, Visitors)
            : new Rotation(weights, seed: 0).Upcoming(new long[weights.Count], Visitors);
    }

    private static string Shares(Weights weights, int share)
    {
        if (share == 100)
            return "";
        string Drawn(int weight, int page) => $"{Format.Plain(weight * share / 10_000.0)} get {PageLetter.At(page)}";
        return $"{share}% take part. Of every 100 visitors, {string.Join(", ", weights.Percent.Select(Drawn))}. "
            + $"The other {100 - share}% see A and are not counted.";
    }

    private static string Plan(
        Weights weights,
        int beside,
        Allocation allocation,
        int share,
        double baseRate,
        double smallestLift,
        double perDay
    )
    {
        if (baseRate is < 0.01 or > 99 || smallestLift is < 1 or > 500)
            return "";
        var (rate, lift, pages) = (baseRate / 100, smallestLift / 100, Math.Max(2, weights.Count));
        double Needed(int count, double cost) =>
            Math.Ceiling(Planner.PlannedTotal(rate, Planner.BetterRate(rate, lift), count, beside: beside) * cost / 100)
            * 100;
        var daily = perDay * share / 100;
        string Days(double visitors, string after) =>
            daily > 0
                ? $", {Format.Count((long)Math.Max(1, Math.Ceiling(visitors / daily)), "day", "days")} {after}"
                : "";
        var cost =
            allocation == Allocation.Adaptive
                ? LeaningForecast.Cost(rate, lift, pages, TestSettings.DefaultFloor)
                : TestDesign.Cost(weights);
        if (double.IsInfinity(cost))
            return "A page without visitors cannot be compared.";
        var now = Needed(pages, cost);
        var plan =
            $"About {Format.Count(now)} visitors in total are needed to find a lift of this size"
            + $"{Days(now, "at the traffic of the last 7 days")}. You can check the results at any time.";
        var soonest = TestDesign.Soonest(pages);
        if (now - Needed(pages, TestDesign.Cost(soonest)) is var less && less > now * WorthSaying)
            return $"{plan} A split of {soonest} needs about {Format.Count(less)} fewer{Days(less, "less")}.";
        if (pages >= TestFormModel.MaxPages)
            return plan;
        var more = Needed(pages + 1, 1) - now;
        return $"{plan} One more page would need about {Format.Count(more)} more visitors{Days(more, "longer")}.";
    }
}
