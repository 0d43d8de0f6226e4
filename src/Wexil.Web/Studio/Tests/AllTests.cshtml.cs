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
    TestListStore list,
    PageStore pages,
    VerdictStore verdicts,
    KeptGains gains,
    OwnerTime clock
) : PageModel
{
    /// <summary>How many are shown at once.</summary>
    public const int MaxCount = 100;

    private const int MaxWords = 10;

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

    /// <summary>Which hundred, from 0.</summary>
    [BindProperty(SupportsGet = true)]
    public int At { get; set; }

    public IReadOnlyList<Row> Rows { get; private set; } = [];

    /// <summary>How many were found, shown or not.</summary>
    public long Found { get; private set; }

    public bool IsEmpty { get; private set; }

    public bool HasOlder => Found > (At + 1L) * MaxCount;

    /// <summary>The address of this screen, a hundred further or back.</summary>
    public string Further(int at) => $"/tests?q={Uri.EscapeDataString(Q ?? "")}&show={Show}&sort={Sort}&at={at}";

    public void OnGet()
    {
        At = Math.Clamp(At, 0, 10_000);
        var words = (Q ?? "").Split(' ', StringSplitOptions.RemoveEmptyEntries);
        (var listed, Found) = list.Find([.. words.Take(MaxWords)], Show, Sort, MaxCount, At * MaxCount);
        IsEmpty = Found == 0 && tests.Newest() is null;
        var shown = tests.FindAll(listed.Select(row => row.Test)).ToDictionary(test => test.Id);
        var steps = funnels.FindSteps(shown.Values.Select(test => test.Step));
        var every = funnels.Every();
        var names = pages.FindAll(shown.Values.SelectMany(test => test.Pages));
        // What a page brought since depends on what was kept on its step after it.
        var inForce = verdicts.InForceOn(steps.Keys);
        var gained = gains.For(inForce).ToDictionary(line => line.Verdict.Id);
        // The newest verdict of a test is the one that counts.
        var decided = inForce.GroupBy(verdict => verdict.Test).ToDictionary(group => group.Key, group => group.First());
        VerdictLine? LineOf(SplitTest test) =>
            test.IsOpen || decided.GetValueOrDefault(test.Id) is not { } verdict ? null : new(verdict, test);
        Row RowOf(SplitTest test, long visitors)
        {
            var (step, line) = (steps[test.Step], LineOf(test));
            return new(
                test,
                step,
                every[step.Funnel],
                [.. test.Pages.Select(page => names[page].Name)],
                visitors,
                line,
                line is null ? null : gained.GetValueOrDefault(line.Verdict.Id),
                test.StateAt(clock.Now)
            );
        }
        Rows = [.. listed.Select(row => RowOf(shown[row.Test], row.Visitors))];
    }
}
