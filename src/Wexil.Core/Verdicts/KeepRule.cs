using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization;
using Wexil.Core.Evidence;
using Wexil.Core.Splits;

namespace Wexil.Core.Verdicts;

/// <summary>Who keeps a page.</summary>
public enum KeepBy
{
    Hand,

    /// <summary>By itself, when it is sure enough.</summary>
    Sure,

    /// <summary>By itself, after so many visitors: whichever is ahead.</summary>
    Visitors,
}

/// <summary>By what a test is judged, and when a page is kept by itself.</summary>
/// <param name="OnMoney">Judged by earned per visitor, and not by the main goal.</param>
public sealed record KeepRule(KeepBy By, bool OnMoney = false)
{
    public const double LeastSureness = 0.8, MostSureness = 0.999;
    private static readonly JsonSerializerOptions Format = new() { Converters = { new JsonStringEnumConverter() } };

    public static readonly KeepRule Usual = new(KeepBy.Hand);

    /// <summary>How sure it has to be, 0.8 to 0.999; looked at as often as one likes.</summary>
    public double Sureness { get; init; } = 0.95;

    /// <summary>On each page, 25 or more.</summary>
    public int Conversions { get; init; } = 100;

    /// <summary>Full days that the test has run at least.</summary>
    public int Days { get; init; } = 14;

    /// <summary>The owner's day from which on it waits no longer; null for as long as it takes.</summary>
    public DateOnly? Latest { get; init; }

    /// <summary>On that day whichever is ahead is kept, and not the control.</summary>
    public bool LeaderAtLatest { get; init; }

    /// <summary>A page that is surely worse than the control gets nobody new, while the others go on.</summary>
    public bool RestsLosers { get; init; }

    /// <summary>Visitors over all pages after which whichever is ahead is kept.</summary>
    public long Visitors { get; init; } = 2000;

    public string ToJson() => JsonSerializer.Serialize(this, Format);

    public static KeepRule Parse(string text) => text.Length == 0 ? Usual : JsonSerializer.Deserialize<KeepRule>(text, Format) ?? Usual;

    /// <summary>How often keeping whichever of two pages is ahead after so many visitors keeps the worse, where one is better by the smallest lift worth finding.</summary>
    /// <param name="baseRate">Strictly between 0 and 1.</param>
    public static double ErrorAfter(long visitors, double baseRate, double smallestLift)
    {
        var better = Math.Min(baseRate * (1 + smallestLift), (1 + baseRate) / 2);
        var deviation = Math.Sqrt((baseRate * (1 - baseRate) + better * (1 - better)) / Math.Max(1, visitors / 2.0));
        return Confidence.TwoSidedP((better - baseRate) / deviation) / 2;
    }

    /// <summary>What is to be done now.</summary>
    /// <param name="standing">With the rule's own level.</param>
    /// <param name="money">Null where nobody bought anything.</param>
    /// <param name="weights">Those in force.</param>
    /// <param name="days">Full days since the start.</param>
    /// <param name="today">The owner's day.</param>
    public RuleDecision Decide(TestStanding standing, MoneyStanding? money, Weights weights, double days, DateOnly today)
    {
        if (By == KeepBy.Hand) return new RuleDecision.Wait("Pages are kept by hand.");
        var problem = Verdict.Of(standing);
        if (problem.Kind == VerdictKind.Problem) return new RuleDecision.Wait($"The numbers cannot be trusted: {problem.Sentence}");
        if (OnMoney && money is null) return new RuleDecision.Wait("Nobody has bought anything yet.");
        var leader = OnMoney ? money!.Pages.MaxBy(page => page.Standard.Mean)!.Page : standing.Pages.MaxBy(page => page.Standard.Rate)!.Page;
        if (By == KeepBy.Visitors)
        {
            var more = Visitors - standing.Total.Visitors;
            return more > 0 ? new RuleDecision.Wait($"{Count(more)} more visitors to come.") : new RuleDecision.Keep(leader, $"{leader.Letter} was ahead after {Count(standing.Total.Visitors)} visitors.");
        }
        var isLast = Latest is { } latest && today >= latest;
        if (Early(standing, days) is { } early && !isLast) return early;
        var decision = OnMoney ? Decision.Of(money!) : Decision.Of(standing);
        if (Early(standing, days) is null && decision is { Keep: { } keep }) return new RuleDecision.Keep(keep, decision.Reason);
        if (isLast) return LeaderAtLatest
            ? new RuleDecision.Keep(leader, $"It is not sure, and {leader.Letter} was ahead on the last day that you allowed.")
            : new RuleDecision.Keep(standing.Control.Page, $"Nothing was sure on the last day that you allowed, so {standing.Control.Page.Letter} stays.");
        var losers = decision.Worse.Where(page => weights[Index(standing, page)] > 0).ToArray();
        // Somebody has to be compared with the control still.
        if (RestsLosers && losers.Length > 0 && standing.Challengers.Count(page => weights[Index(standing, page.Page)] > 0) > losers.Length)
            return new RuleDecision.Rest(losers, $"{string.Join(" and ", losers.Select(page => page.Letter))} {(losers.Length == 1 ? "brings" : "bring")} less than {standing.Control.Page.Letter}, and not by chance.");
        return new RuleDecision.Wait("It is not sure enough yet.");
    }

    private RuleDecision? Early(TestStanding standing, double days)
    {
        if (days < Days) return new RuleDecision.Wait($"It runs for {Count((long)Math.Ceiling(Days - days))} more days at least.");
        var least = standing.Pages.Min(page => page.Total.Conversions);
        return least < Conversions ? new RuleDecision.Wait($"Every page needs {Count(Conversions)} {standing.Facts.Words.Many}; the smallest has {Count(least)}.") : null;
    }

    private static int Index(TestStanding standing, TestPage page) => standing.Facts.Pages.TakeWhile(own => own.Id != page.Id).Count();

    private static string Count(long number) => number.ToString("N0", CultureInfo.InvariantCulture);
}

/// <summary>What a rule does at a look.</summary>
public abstract record RuleDecision
{
    private RuleDecision(string why) => Why = why;

    public string Why { get; }

    public sealed record Wait(string Reason) : RuleDecision(Reason);

    public sealed record Keep(TestPage Page, string Reason) : RuleDecision(Reason);

    /// <summary>Pages that nobody new is sent to any more.</summary>
    public sealed record Rest(IReadOnlyList<TestPage> Pages, string Reason) : RuleDecision(Reason);
}

/// <summary>What the evidence settles.</summary>
/// <param name="Kind">Ready, control wins or no difference; else too early.</param>
/// <param name="Keep">The page to keep; null while nothing is settled.</param>
/// <param name="Lift">Of the page to keep over the control, as a share; 0 for the control.</param>
/// <param name="Worse">Challengers that are surely worse than the control.</param>
public sealed record Decision(VerdictKind Kind, TestPage? Keep, double Lift, IReadOnlyList<TestPage> Worse)
{
    public string Reason => Kind switch
    {
        VerdictKind.Ready => $"{Keep!.Letter} is better than the control, and not by chance.",
        VerdictKind.ControlWins => "Nothing that was tried beats the control.",
        VerdictKind.NoDifference => "There is no difference that matters.",
        _ => "It is not sure enough yet.",
    };

    public static Decision Of(TestStanding standing) => Of(
        [.. standing.Pages.Select(page => (page.Page, page.AgainstControl))], standing.Facts.Control, standing.Facts.Alpha, standing.Facts.SmallestLift * standing.Facts.BaseRate, standing.Control.Standard.Rate);

    public static Decision Of(MoneyStanding standing) => Of(
        [.. standing.Pages.Select(page => (page.Page, page.AgainstControl))], standing.Facts.Control, standing.Facts.Alpha, standing.Margin, standing.Control.Standard.Mean);

    private static Decision Of(IReadOnlyList<(TestPage Page, Comparison? Against)> pages, int control, double alpha, double margin, double controlValue)
    {
        var challengers = pages.Where((_, i) => i != control).ToArray();
        bool IsWorse((TestPage, Comparison? Against) page) => page.Against is { Difference: < 0 } against && against.P <= alpha;
        bool IsSame((TestPage, Comparison? Against) page) => page.Against?.Interval is { } interval && interval.Low > -margin && interval.High < margin;
        TestPage[] worse = [.. challengers.Where(IsWorse).Select(page => page.Page)];
        var better = challengers.Where(page => page.Against is { Difference: > 0 } against && against.P <= alpha).OrderByDescending(page => page.Against!.Difference).FirstOrDefault();
        if (better.Page is not null) return new(VerdictKind.Ready, better.Page, controlValue > 0 ? better.Against!.Difference / controlValue : 0, worse);
        if (worse.Length == challengers.Length) return new(VerdictKind.ControlWins, pages[control].Page, 0, worse);
        return challengers.All(page => IsWorse(page) || IsSame(page)) ? new(VerdictKind.NoDifference, pages[control].Page, 0, worse) : new(VerdictKind.TooEarly, null, 0, worse);
    }
}
