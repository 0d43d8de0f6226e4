using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.Verdicts;
using Wexil.Store;

namespace Wexil.Web.Studio.Shared;

/// <summary>A test with everything a screen says about it.</summary>
public sealed record TestReading(SplitTest Test, Step Step, Step Goal, IReadOnlyList<Page> Pages, IReadOnlyList<Phase> Phases, TestStanding Standing, Verdict Verdict)
{
    public string Letter(PageId page) => Standing.Pages.FirstOrDefault(p => p.Page.Id == page)?.Page.Letter ?? "";

    public (string Many, string One) Words => Step.Kind.ConversionWords();
}

/// <summary>Reads a test from the tallies and computes its standing.</summary>
public sealed class TestReader(TestStore tests, PageStore pages, TallyStore tallies)
{
    public TestReading Read(SplitTest test, IReadOnlyList<Step> steps)
    {
        var step = steps.Single(s => s.Id == test.Step);
        var shown = test.Pages.Select(page => pages.Find(page)!).ToArray();
        var phases = tests.Phases(test.Id);
        var standing = TestStanding.Of(new TestFacts(
            [.. shown.Select((page, i) => new TestPage(page.Id, Mark.Letter(i), page.Name))], 0, tallies.Phases(test, phases),
            test.BaseRate, test.SmallestLift, tallies.VisitorsPerDay(test.Step), tallies.Silence(test.Id), step.Kind));
        return new(test, step, steps.Single(s => s.Id == test.Goal), shown, phases, standing, Verdict.Of(standing));
    }
}
