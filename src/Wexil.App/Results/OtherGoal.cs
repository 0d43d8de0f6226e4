using Wexil.Core.Common;
using Wexil.Core.Goals;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Store;

namespace Wexil.App.Results;

/// <summary>The result of a test by something else than what its verdict goes by.</summary>
public static class OtherGoal
{
    /// <summary>
    /// The result of a test by another of its goals: the same figures, while the verdict goes by the main one.
    /// </summary>
    public static TestResult By(TestReading reading, TestGoalRow goal, IReadOnlyList<GoalTally> tallies)
    {
        var met = tallies
            .Where(tally => tally.Goal == goal.Id)
            .ToDictionary(tally => (tally.Phase, tally.Page), tally => tally.Visitors);
        return By(reading, met, goal.Goal.LessIsBetter, goal.Goal.Words, goal.CountsIn);
    }

    /// <summary>
    /// The result of a test by something else that its visitors did: how many did, by phase and page.
    /// </summary>
    /// <param name="counts">The phases whose visitors it is about; null for all.</param>
    public static TestResult By(
        TestReading reading,
        IReadOnlyDictionary<(PhaseId, PageId), long> met,
        bool isLess,
        (string Many, string One) words,
        Func<Phase, bool>? counts = null
    )
    {
        var facts = reading.Result.Facts;
        Arm ArmOf(PhaseFacts phase, int i, int page)
        {
            if (counts?.Invoke(reading.Phases[i]) == false)
                return default;
            var visitors = phase.Arms[page].Visitors;
            var did = met.GetValueOrDefault((reading.Phases[i].Id, reading.Test.Pages[page]));
            return new(visitors, Math.Min(visitors, did));
        }
        PhaseFacts[] phases =
        [
            .. facts.Phases.Select(
                (phase, i) => phase with { Arms = [.. reading.Test.Pages.Select((_, page) => ArmOf(phase, i, page))] }
            ),
        ];
        return From(facts, isLess ? Others(phases) : phases, words);
    }

    private static TestResult From(TestFacts facts, PhaseFacts[] phases, (string Many, string One) words)
    {
        var total = phases.SelectMany(phase => phase.Arms).Aggregate(new Arm(), (sum, arm) => sum + arm);
        // Nobody said beforehand what rate to expect of it: that of all pages together is near.
        return TestResult.From(
            facts with
            {
                Phases = phases,
                BaseRate = total.Conversions > 0 ? total.Rate : facts.BaseRate,
                Gap = null,
                // The plan is the main goal's; beside it, looks are judged as they come.
                Plan = null,
                Past = [],
                Beside = [],
                Words = words,
            }
        );
    }

    /// <summary>Where less is better, those count who did not.</summary>
    internal static PhaseFacts[] Others(IReadOnlyList<PhaseFacts> phases) =>
        [
            .. phases.Select(phase =>
                phase with
                {
                    Arms = [.. phase.Arms.Select(arm => new Arm(arm.Visitors, arm.Visitors - arm.Conversions))],
                }
            ),
        ];
}
