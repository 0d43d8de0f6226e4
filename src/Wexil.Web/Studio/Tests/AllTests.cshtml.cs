using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.SplitTests;
using Wexil.Store;

namespace Wexil.Web.Studio.Tests;

/// <summary>Every test of every funnel, found by what was thought, tried and learned.</summary>
public sealed class AllTestsModel(
    FunnelStore funnels,
    TestStore tests,
    PageStore pages,
    VerdictStore verdicts,
    TallyStore tallies,
    KeptGains gains,
    OwnerTime clock
) : PageModel
{
    private const int MaxCount = 200;

    /// <param name="Visitors">As they stood with the verdict, or stand now.</param>
    /// <param name="Verdict">Null while it is not decided.</param>
    public sealed record Row(
        SplitTest Test,
        Step Step,
        Funnel Funnel,
        IReadOnlyList<string> Pages,
        long Visitors,
        VerdictLine? Verdict,
        GainLine? Gain,
        TestState State
    )
    {
        public string Address => $"/f/{Funnel.Slug}/{Step.Slug}/{(Verdict is null ? "count" : "keep")}";
    }

    [BindProperty(SupportsGet = true)]
    public string Q { get; set; } = "";

    public IReadOnlyList<Row> Rows { get; private set; } = [];

    /// <summary>More were found than are shown.</summary>
    public int Found { get; private set; }

    public bool IsEmpty { get; private set; }

    public void OnGet()
    {
        var all = tests.All();
        IsEmpty = all.Count == 0;
        var steps = funnels.AllSteps().ToDictionary(step => step.Id);
        var every = funnels.Every();
        var inForce = verdicts.InForce();
        // The newest verdict of a test is the one that counts.
        var decided = inForce.GroupBy(verdict => verdict.Test).ToDictionary(group => group.Key, group => group.First());
        var names = all.SelectMany(test => test.Pages)
            .Distinct()
            .ToDictionary(page => page, page => pages.Find(page)!.Name);
        var words = (Q ?? "").Split(' ', StringSplitOptions.RemoveEmptyEntries);
        bool IsFound(SplitTest test)
        {
            var text = Text(test, steps[test.Step], every[steps[test.Step].Funnel], names);
            return words.All(word => text.Contains(word, StringComparison.OrdinalIgnoreCase));
        }
        SplitTest[] fitting = [.. all.Where(IsFound)];
        Found = fitting.Length;
        var visitors = VisitorsOf(fitting.Take(MaxCount));
        var gained = gains.For(inForce).ToDictionary(line => line.Verdict.Id);
        Rows = [.. fitting.Take(MaxCount).Select(RowOf)];

        Row RowOf(SplitTest test)
        {
            var verdict = test.IsOpen ? null : decided.GetValueOrDefault(test.Id);
            var line = verdict is null ? null : new VerdictLine(verdict, test);
            return new(
                test,
                steps[test.Step],
                every[steps[test.Step].Funnel],
                [.. test.Pages.Select(page => names[page])],
                line?.Visitors ?? visitors.GetValueOrDefault(test.Id),
                line,
                verdict is null ? null : gained.GetValueOrDefault(verdict.Id),
                test.StateAt(clock.Now)
            );
        }
    }

    private Dictionary<TestId, long> VisitorsOf(IEnumerable<SplitTest> shown) =>
        tallies
            .PageVisitors(shown.Select(test => test.Id))
            .GroupBy(page => page.Key.Test)
            .ToDictionary(group => group.Key, group => group.Sum(page => page.Value));

    private static string Text(SplitTest test, Step step, Funnel funnel, IReadOnlyDictionary<PageId, string> names) =>
        string.Join(
            '\n',
            [test.Name, test.Idea, test.Learned, step.Name, funnel.Name, .. test.Pages.Select(page => names[page])]
        );
}
