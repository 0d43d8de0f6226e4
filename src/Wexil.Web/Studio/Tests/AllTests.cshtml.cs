using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.SplitTests;
using Wexil.Store;

namespace Wexil.Web.Studio.Tests;

/// <summary>Which tests are listed.</summary>
public enum TestsShown
{
    All,
    Open,
    Decided,
}

/// <summary>By what tests are sorted.</summary>
public enum TestOrder
{
    Newest,
    Name,
    Visitors,
}

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

    [BindProperty(SupportsGet = true)]
    public TestsShown Show { get; set; }

    [BindProperty(SupportsGet = true)]
    public TestOrder Sort { get; set; }

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
        VerdictLine? LineOf(SplitTest test) =>
            test.IsOpen || decided.GetValueOrDefault(test.Id) is not { } verdict ? null : new(verdict, test);
        var names = NamesOf(all);
        var words = (Q ?? "").Split(' ', StringSplitOptions.RemoveEmptyEntries);
        bool IsFound(SplitTest test)
        {
            var text = Text(test, steps[test.Step], every[steps[test.Step].Funnel], names);
            return words.All(word => text.Contains(word, StringComparison.OrdinalIgnoreCase));
        }
        (SplitTest Test, VerdictLine? Line)[] fitting =
        [
            .. all.Where(IsShown).Where(IsFound).Select(test => (test, LineOf(test))),
        ];
        Found = fitting.Length;
        var gained = gains.For(inForce).ToDictionary(line => line.Verdict.Id);
        Rows =
        [
            .. Sorted(fitting)
                .Select(row => new Row(
                    row.Test,
                    steps[row.Test.Step],
                    every[steps[row.Test.Step].Funnel],
                    [.. row.Test.Pages.Select(page => names[page])],
                    row.Visitors,
                    row.Line,
                    row.Line is null ? null : gained.GetValueOrDefault(row.Line.Verdict.Id),
                    row.Test.StateAt(clock.Now)
                )),
        ];
    }

    /// <summary>Those that are shown, with their visitors as they stood with the verdict, or stand now.</summary>
    private IEnumerable<(SplitTest Test, VerdictLine? Line, long Visitors)> Sorted(
        (SplitTest Test, VerdictLine? Line)[] fitting
    )
    {
        fitting =
        [
            .. Sort == TestOrder.Name
                ? fitting.OrderBy(row => row.Test.Name, StringComparer.OrdinalIgnoreCase)
                : fitting.OrderByDescending(row => row.Test.StartedAt).ThenByDescending(row => row.Test.Id.Value),
        ];
        // Sorted by visitors, those of all have to be known.
        var counted = VisitorsOf(
            (Sort == TestOrder.Visitors ? fitting : fitting.Take(MaxCount)).Select(row => row.Test)
        );
        var rows = fitting.Select(row =>
            (row.Test, row.Line, row.Line?.Visitors ?? counted.GetValueOrDefault(row.Test.Id))
        );
        return (Sort == TestOrder.Visitors ? rows.OrderByDescending(row => row.Item3) : rows).Take(MaxCount);
    }

    private Dictionary<PageId, string> NamesOf(IEnumerable<SplitTest> all) =>
        all.SelectMany(test => test.Pages).Distinct().ToDictionary(page => page, page => pages.Find(page)!.Name);

    private bool IsShown(SplitTest test) =>
        Show switch
        {
            TestsShown.Open => test.IsOpen,
            TestsShown.Decided => !test.IsOpen,
            _ => true,
        };

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
