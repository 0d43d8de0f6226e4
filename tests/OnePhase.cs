using Wexil.Core.Funnels;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;

namespace Wexil.Tests;

/// <summary>
/// A test of pages A, B … with one phase and even weights: 10% expected, 20% worth finding, 400 visitors a day.
/// </summary>
internal static class OnePhase
{
    public static TestFacts Facts(Arm[] arms)
    {
        var pages = arms.Select((_, i) => new TestPage(new(i + 1), ((char)('A' + i)).ToString(), "Page")).ToArray();
        var phase = new PhaseFacts(Weights.Even(arms.Length).Percent, arms);
        return new(pages, 0, [phase], 0.1, 0.2, 400, null, StepKind.OptIn.ConversionWords(StepKind.ThankYou));
    }

    public static TestResult Standing(Arm[] arms) => TestResult.From(Facts(arms));

    /// <summary>The letter of the page kept, the letters of those that rest, or what it waits for.</summary>
    public static string Said(RuleDecision decision) =>
        decision switch
        {
            RuleDecision.Keep keep => keep.Page.Letter,
            RuleDecision.Rest rest => $"rests {string.Concat(rest.Pages.Select(page => page.Letter))}",
            _ => decision.ToString(),
        };
}
