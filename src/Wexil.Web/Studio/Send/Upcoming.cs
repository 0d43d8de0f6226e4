using Wexil.App.Results;
using Wexil.App.Visits;
using Wexil.App.Wording;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Results;
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

/// <summary>What goes with the weights in the form, saved or not.</summary>
public sealed record SplitForm
{
    public Allocation Allocation { get; init; }

    /// <summary>The least that a page gets while weights follow the evidence, in percent.</summary>
    public int Floor
    {
        get;
        init => field = Math.Clamp(value, TestFormModel.MinFloor, TestFormModel.MaxFloor);
    } = TestSettings.DefaultFloor;

    /// <summary>How many of a hundred visitors take part, 1 to 100.</summary>
    public int Share
    {
        get;
        init => field = Math.Clamp(value, 1, 100);
    } = 100;

    /// <summary>In percent; 0 where nothing is typed yet.</summary>
    public double BaseRate { get; init; }

    /// <summary>In percent of the base rate.</summary>
    public double SmallestLift { get; init; }

    /// <summary>What counts is better the less it happens.</summary>
    public bool FewerIsBetter { get; init; }

    /// <summary>What is typed can be planned for.</summary>
    public bool IsPlannable => BaseRate is >= 0.01 and <= 99 && SmallestLift is >= 1 and <= 500;

    /// <summary>The rate and the lift that are planned for, as shares.</summary>
    public (double Rate, double Lift) Planned =>
        FewerIsBetter ? Planner.OfOthers(BaseRate / 100, SmallestLift / 100) : (BaseRate / 100, SmallestLift / 100);
}

/// <summary>Works out what lies ahead.</summary>
public sealed class Upcoming(Routes routes, TurnKeeper turns, IChance chance, TimeProvider time)
{
    private const int Visitors = 10;

    // A shorter way is named where it saves as large a share.
    private const double WorthSaying = 0.03;

    /// <param name="perDay">New visitors a day; 0 when not known.</param>
    public Ahead For(StepScreen screen, Weights weights, SplitForm form, double perDay) =>
        new(
            [.. Next(screen, weights, form.Allocation).Select(PageLetter.At)],
            Shares(weights, form.Share),
            OfRunning(screen.Testing, weights, form, screen.ComparedBeside, perDay)
                ?? Plan(weights, form, screen.ComparedBeside, perDay)
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

    /// <summary>
    /// What a running test still takes with this split, as Count says it; null where its own weights do not say it:
    /// with another page, with weights that follow the evidence, and where nothing can be compared.
    /// </summary>
    private static string? OfRunning(TestReading? test, Weights split, SplitForm form, int beside, double perDay)
    {
        if (
            test is null
            || form.Allocation == Allocation.Adaptive
            || split.Percent.Skip(test.Pages.Count).Any(w => w > 0)
        )
            return null;
        int[] own = [.. split.Percent.Take(test.Pages.Count)];
        if (test.PlannedWith(own) is not { } planned)
            return null;
        var left = planned - test.Result.Total.Visitors;
        if (left <= 0)
            return $"All planned visitors have come; about {Format.Rounded(planned)} were planned.";
        var rest = Forecast.Create(left, left, perDay * form.Share / 100);
        var days = ForecastWording.Days(rest) is { } known ? $", {known} at the traffic of the last 7 days" : "";
        var plan =
            $"About {Format.Rounded(planned)} visitors in total are needed with this split. Until the plan ends about "
            + $"{ForecastWording.Visitors(rest)} are still to come{days}. You can check the results at any time.";
        var soonest = TestDesign.Soonest(own.Length);
        // A page that rests is not to come back for the sake of its plan.
        return
            own.All(weight => weight > 0)
            && planned - test.PlannedWith(soonest.Percent) is { } less
            && less > planned * WorthSaying
            ? $"{plan} A split of {soonest} needs about {Format.Rounded(less)} fewer."
            : plan + OneMore(split, own.Count(weight => weight > 0), form, beside, perDay);
    }

    private static string Plan(Weights split, SplitForm form, int beside, double perDay)
    {
        if (!form.IsPlannable)
            return "";
        // A page that rests is compared with nobody new.
        int[] shown = [.. split.Percent.Where(weight => weight > 0)];
        if (split[0] == 0)
            return "Nothing can be compared while the control gets no visitors.";
        if (shown.Length < 2)
            return "Nothing can be compared while only the control gets visitors.";
        var weights = Weights.Create(shown);
        var (rate, lift) = form.Planned;
        double Needed(int pages, double cost) =>
            Math.Ceiling(Planner.PlannedTotal(rate, lift, pages, beside: beside) * cost / 100) * 100;
        var now = Needed(
            weights.Count,
            form.Allocation == Allocation.Adaptive
                ? LeaningForecast.Cost(rate, lift, weights.Count, form.Floor)
                : TestDesign.Cost(weights)
        );
        var plan =
            $"About {Format.Count(now)} visitors in total are needed to find a lift of this size"
            + $"{Days(now, form, perDay, "at the traffic of the last 7 days")}. You can check the results at any time.";
        var soonest = TestDesign.Soonest(weights.Count);
        if (now - Needed(weights.Count, TestDesign.Cost(soonest)) is var less && less > now * WorthSaying)
            return $"{plan} A split of {soonest} needs about {Format.Count(less)} fewer"
                + $"{Days(less, form, perDay, "less")}.";
        return plan + OneMore(split, weights.Count, form, beside, perDay);
    }

    /// <summary>What another page costs, said before somebody adds it; empty where none can be added.</summary>
    /// <param name="pages">How many get visitors.</param>
    private static string OneMore(Weights split, int pages, SplitForm form, int beside, double perDay)
    {
        if (split.Count >= TestFormModel.MaxPages || !form.IsPlannable)
            return "";
        var (rate, lift) = form.Planned;
        var more =
            Planner.PlannedTotal(rate, lift, pages + 1, beside: beside)
            - Planner.PlannedTotal(rate, lift, pages, beside: beside);
        return $" One more page would need about {Format.Rounded(more)} more visitors"
            + $"{Days(more, form, perDay, "longer")}.";
    }

    private static string Days(double visitors, SplitForm form, double perDay, string after)
    {
        if (perDay <= 0)
            return "";
        var days = (long)Math.Max(1, Math.Ceiling(visitors / (perDay * form.Share / 100)));
        return $", {Format.Count(days, "day", "days")} {after}";
    }
}
