using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.Pages;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Store;

namespace Wexil.App.Results;

/// <summary>A test with everything a screen says about it.</summary>
/// <param name="Money">By what visitors brought; null where nobody bought anything.</param>
/// <param name="Says">The verdict in words.</param>
/// <param name="Goals">All goals besides the goal step.</param>
public sealed record TestReading(
    SplitTest Test,
    Step Step,
    Step Goal,
    IReadOnlyList<Page> Pages,
    IReadOnlyList<Phase> Phases,
    TestResult Result,
    RevenueResult? Money,
    Verdict Verdict,
    VerdictText Says,
    IReadOnlyList<TestGoalRow> Goals
)
{
    /// <summary>The main goal where it is one of its own; null where it is the goal step.</summary>
    public TestGoalRow? Main => Goals.FirstOrDefault(goal => goal.IsMain);

    /// <summary>What counts, by name.</summary>
    public string GoalName => Main?.Goal.Name ?? Goal.Name;

    /// <summary>
    /// The rate that the pages show to be expected, from this look on; null where what is known stays, and while they
    /// have brought too little.
    /// </summary>
    public double? CorrectedRate { get; init; }

    /// <summary>About how many visitors the plan asks for, with the present weights.</summary>
    /// <inheritdoc cref="PlannedWith"/>
    public double? PlannedVisitors => PlannedWith(Result.Facts.WeightsAhead);

    /// <summary>
    /// About how many visitors the plan asks for, those who came included, if visitors come in these shares from now
    /// on: by the page whose plan ends last. Once all plans are over, about how many it asked for.
    /// </summary>
    /// <param name="weights">By page, in percent.</param>
    /// <returns>Null without a plan, and while nothing can be compared.</returns>
    public double? PlannedWith(IReadOnlyList<int> weights)
    {
        var (rule, compared) =
            Test.Rule.OnMoney && Money is { } money
                ? (money.Rule, money.Pages.Select(page => page.AgainstControl).ToArray())
                : (Result.Rule, Result.Pages.Select(page => page.AgainstControl).ToArray());
        if (rule.Plan is null)
            return null;
        var left = EndForecast.PlanEnd(compared, Result.Facts.Control, rule, weights);
        double came = Result.Total.Visitors;
        return double.IsInfinity(left) ? null
            : left > 0 ? came + left
            : came / Math.Max(1, compared.Min(look => look?.Progress) ?? 1);
    }

    /// <summary>The page’s letter in the test; empty for a page that is not in it.</summary>
    public string Letter(PageId page) => Result.Pages.FirstOrDefault(p => p.Page.Id == page)?.Page.Letter ?? "";

    /// <summary>Where each challenger stands on its way through the plan; none without one.</summary>
    public IEnumerable<LookPoint> Way(bool onMoney, DateTimeOffset now)
    {
        var compared = onMoney
            ? Money?.Pages.Select(page => (page.Page.Id, page.AgainstControl)) ?? []
            : Result.Pages.Select(page => (page.Page.Id, page.AgainstControl));
        foreach (var (page, look) in compared)
            if (look is { Progress: { } progress, Evidence: { } evidence })
                yield return new(page, onMoney, now, progress, evidence);
    }

    /// <summary>What is tested: "page", or "variation" on a section.</summary>
    public string Thing => ThingOf(Step);

    /// <summary>What a test on a step compares.</summary>
    public static string ThingOf(Step step) => step.IsSection ? "variation" : "page";

    /// <summary>What conversions are called, many and one.</summary>
    public (string Many, string One) Words => Result.Facts.Words;
}

/// <summary>Reads tests from the tallies and computes their results.</summary>
public sealed class TestReader(
    TestStore tests,
    EvidenceStore evidence,
    LookStore looks,
    GoalWords words,
    SettingStore settings
)
{
    /// <summary>Reads and computes all that is said of a test.</summary>
    public TestReading Read(SplitTest test, IReadOnlyList<Step> steps) =>
        Read([test], steps.ToDictionary(step => step.Id)).Single();

    /// <summary>The same of many tests, in one view of the data.</summary>
    /// <param name="steps">Those that they are on, and their goals.</param>
    public IReadOnlyList<TestReading> Read(IReadOnlyList<SplitTest> read, IReadOnlyDictionary<StepId, Step> steps)
    {
        var currency = settings.Currency;
        return
        [
            .. evidence
                .Read([.. read.Select(test => (test, steps[test.Step]))], currency)
                .Select(known => Read(known, steps, currency)),
        ];
    }

    /// <summary>
    /// The reading as it would be had some of the visitors not come. What earlier looks were sure of rests on them, so
    /// it is left out too.
    /// </summary>
    public TestReading Without(SplitTest test, IReadOnlyList<Step> steps, IReadOnlyList<CrowdPart> gone)
    {
        var (byId, currency) = (steps.ToDictionary(step => step.Id), settings.Currency);
        var known = evidence.Read([(test, byId[test.Step])], currency).Single();
        var parts = gone.GroupBy(part => (part.Phase, part.Page))
            .ToDictionary(group => group.Key, group => group.Aggregate((sum, part) => sum + part));
        CrowdPart? PartAt(int phase, int page) => parts.GetValueOrDefault((known.Phases[phase].Id, test.Pages[page]));
        PhaseFacts[] counted =
        [
            .. known.Counted.Select(
                (phase, i) =>
                    phase with
                    {
                        Arms =
                        [
                            .. phase.Arms.Select((arm, page) => PartAt(i, page) is { } part ? arm - part.Arm : arm),
                        ],
                    }
            ),
        ];
        RevenueSample Left(RevenueSample sample, int phase, int page) =>
            PartAt(phase, page) is { } part ? sample - part.Money : sample;
        return Read(
            known with
            {
                Counted = counted,
                Money = known
                    .Money?.Select((phase, i) => phase.Select((sample, page) => Left(sample, i, page)).ToArray())
                    .ToArray(),
                Large = [],
                Gap = null,
                PastByGoal = new Dictionary<PageId, PastLooks>(),
                PastByMoney = new Dictionary<PageId, PastLooks>(),
            },
            byId,
            currency
        );
    }

    private TestReading Read(TestEvidence known, IReadOnlyDictionary<StepId, Step> steps, Currency currency)
    {
        var (test, step) = (known.Test, steps[known.Test.Step]);
        var result = TestResult.From(Facts(known, step, steps[test.Goal]));
        var money = known.Money is { } revenue
            ? RevenueResult.From(
                result.Facts,
                revenue,
                test.BaseEarned is { } earned ? new RevenueBase(earned, test.BaseSpread) : null,
                Past(test, known.PastByMoney),
                Beside(step, test, onMoney: true),
                known.Large
            )
            : null;
        var compared = result.Pages.Select(page => page.AgainstControl);
        var verdict = test.Check is null
            ? VerdictRule.Apply(result, money, test.Rule.OnMoney)
            : CheckRule.Apply(result, money, test.Rule.OnMoney);
        return new(
            test,
            step,
            steps[test.Goal],
            known.Pages,
            known.Phases,
            result,
            money,
            verdict,
            Say(test, verdict, result.Facts, amount => currency.Show((decimal)amount)),
            known.Goals
        )
        {
            CorrectedRate =
                test.SeenRate is null || (test.PlanDrift is not null && BlindedRate.IsFollowed(compared))
                    ? SeenRate(test, known)
                    : null,
        };
    }

    private static VerdictText Say(SplitTest test, Verdict verdict, TestFacts facts, Func<double, string> money)
    {
        var ended = test.IsOpen ? null : CheckWording.Ended(verdict, facts.Words.Many, money);
        return ended ?? VerdictWording.Say(verdict, facts, money);
    }

    private TestFacts Facts(TestEvidence known, Step step, Step goal)
    {
        var (test, counted) = (known.Test, known.Counted);
        var rate = RateOf(test, known);
        var main = MainOf(known);
        var isLess = main is { LessIsBetter: true };
        return new(
            [.. known.Pages.Select((page, i) => new TestPage(page.Id, PageLetter.At(i), page.Name))],
            0,
            isLess ? OtherGoal.Others(counted) : counted,
            rate,
            test.SmallestLift,
            known.VisitorsPerDay,
            isLess ? null : known.Gap,
            main?.Words ?? words.For(step, goal, known.Pages)
        )
        {
            Plan = test.IsPlanned ? PlanOf(known, rate, isLess) : null,
            Drift = test.PlanDrift,
            Alpha = test.Rule.By == KeepBy.Sure ? Math.Round(1 - test.Rule.Sureness, 6) : TestResult.Alpha,
            Past = Past(test, known.PastByGoal),
            Beside = Beside(step, test, onMoney: false),
        };
    }

    private static SamplingPlan PlanOf(TestEvidence known, double rate, bool isLess)
    {
        var (baseRate, lift) = isLess
            ? Planner.OfOthers(rate, known.Test.SmallestLift)
            : (rate, known.Test.SmallestLift);
        return known.Test.PlanDrift is { } drift
            ? SamplingPlan.ForLift(baseRate, lift, drift)
            : SamplingPlan.ForRates(
                (baseRate + Math.Min(baseRate * (1 + lift), (1 + baseRate) / 2)) / 2,
                baseRate * lift,
                PlannedSize.FormerDrift(PlannedPages(known))
            );
    }

    // A page that joined a test did not change what it was planned for.
    private static int PlannedPages(TestEvidence known) =>
        known.Test.PlannedPages ?? (known.Phases is [var first, ..] ? first.Weights.Count : known.Pages.Count);

    /// <summary>
    /// The rate that the size of a lift is measured by: the one expected, until all pages together have brought enough
    /// to correct it by.
    /// </summary>
    private static double RateOf(SplitTest test, TestEvidence known) =>
        test.SeenRate ?? SeenRate(test, known) ?? test.BaseRate;

    private static double? SeenRate(SplitTest test, TestEvidence known)
    {
        var total = known.Counted.SelectMany(phase => phase.Arms).Aggregate(new Arm(), (sum, arm) => sum + arm);
        if (test.PlanDrift is not null)
            return BlindedRate.Of(
                total,
                test.Pages.Count,
                MainOf(known) is { LessIsBetter: true } ? -test.SmallestLift : test.SmallestLift
            );
        // As tests that began before were corrected.
        return total.Conversions >= AlwaysValidTest.MinConversions && total.Conversions < total.Visitors
            ? total.Rate
            : null;
    }

    private static Goal? MainOf(TestEvidence known) => known.Goals.FirstOrDefault(goal => goal.IsMain)?.Goal;

    private static PastLooks[] Past(SplitTest test, IReadOnlyDictionary<PageId, PastLooks> past) =>
        past.Count == 0 ? [] : [.. test.Pages.Select(page => past.GetValueOrDefault(page, PastLooks.None))];

    // Of a test that was kept by hand before anything was sure, as many comparisons were made.
    private double[] Beside(Step step, SplitTest test, bool onMoney)
    {
        if (step.Host is not { } host)
            return [];
        IEnumerable<double> LooksAt(SplitTest other)
        {
            var past = looks.Past(other.Id, onMoney);
            return other
                .Pages.Skip(1)
                .Select(page => past.GetValueOrDefault(page, PastLooks.None))
                .Select(look => Math.Min(look.Ahead, look.Behind));
        }
        return [.. tests.OnSectionsOf(host, test).SelectMany(LooksAt)];
    }
}
