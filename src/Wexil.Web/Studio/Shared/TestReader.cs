using Wexil.Core.Evidence;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.Pages;
using Wexil.Core.Verdicts;
using Wexil.Store;

namespace Wexil.Web.Studio.Shared;

/// <summary>A test with everything a screen says about it.</summary>
/// <param name="Goals">All goals besides the goal step.</param>
public sealed record TestReading(
    SplitTest Test, Step Step, Step Goal, IReadOnlyList<Page> Pages, IReadOnlyList<Phase> Phases, TestStanding Standing, Verdict Verdict, IReadOnlyList<TestGoalRow> Goals)
{
    public TestGoalRow? Main => Goals.FirstOrDefault(goal => goal.IsMain);

    /// <summary>What counts, by name.</summary>
    public string GoalName => Main?.Goal.Name ?? Goal.Name;

    public string Letter(PageId page) => Standing.Pages.FirstOrDefault(p => p.Page.Id == page)?.Page.Letter ?? "";

    public (string Many, string One) Words => Main?.Goal.Words ?? Step.Kind.ConversionWords();
}

/// <summary>Reads a test from the tallies and computes its standing.</summary>
public sealed class TestReader(TestStore tests, PageStore pages, TallyStore tallies, GoalStore goals)
{
    public TestReading Read(SplitTest test, IReadOnlyList<Step> steps)
    {
        var step = steps.Single(s => s.Id == test.Step);
        var shown = test.Pages.Select(page => pages.Find(page)!).ToArray();
        var phases = tests.Phases(test.Id);
        var own = goals.Of(test.Id);
        var main = own.FirstOrDefault(goal => goal.IsMain)?.Goal;
        var counted = tallies.Phases(test, phases);
        var isLess = main is { LessIsBetter: true };
        var standing = TestStanding.Of(new TestFacts(
            [.. shown.Select((page, i) => new TestPage(page.Id, Mark.Letter(i), page.Name))], 0, isLess ? Others(counted) : counted,
            test.BaseRate, test.SmallestLift, tallies.VisitorsPerDay(test.Step), isLess ? null : tallies.Silence(test.Id), main?.Words ?? step.Kind.ConversionWords()));
        return new(test, step, steps.Single(s => s.Id == test.Goal), shown, phases, standing, Verdict.Of(standing), own);
    }

    /// <summary>The standing of a test by another of its goals: the same figures, while the verdict goes by the main one.</summary>
    public static TestStanding By(TestReading reading, TestGoalRow goal, IReadOnlyList<GoalTally> tallies)
    {
        var met = tallies.Where(tally => tally.Goal == goal.Id).ToDictionary(tally => (tally.Phase, tally.Page), tally => tally.Visitors);
        var facts = reading.Standing.Facts;
        PhaseFacts[] phases = [.. facts.Phases.Select((phase, i) => phase with
        {
            Arms = [.. reading.Test.Pages.Select((page, j) => new Arm(phase.Arms[j].Visitors, Math.Min(phase.Arms[j].Visitors, met.GetValueOrDefault((reading.Phases[i].Id, page)))))],
        })];
        if (goal.Goal.LessIsBetter) phases = Others(phases);
        var total = phases.SelectMany(phase => phase.Arms).Aggregate(new Arm(), (sum, arm) => sum + arm);
        // Nobody said beforehand what rate to expect of it: that of all pages together is near.
        return TestStanding.Of(facts with { Phases = phases, BaseRate = total.Conversions > 0 ? total.Rate : facts.BaseRate, Silence = null, Words = goal.Goal.Words });
    }

    /// <summary>Where less is better, those count who did not.</summary>
    private static PhaseFacts[] Others(IReadOnlyList<PhaseFacts> phases) =>
        [.. phases.Select(phase => phase with { Arms = [.. phase.Arms.Select(arm => new Arm(arm.Visitors, arm.Visitors - arm.Conversions))] })];
}
