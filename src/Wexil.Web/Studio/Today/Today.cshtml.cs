using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Core.Funnels;
using Wexil.Core.Verdicts;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Today;

/// <summary>What needs the owner, what is ready, what runs.</summary>
public sealed class TodayModel(FunnelStore funnels, TestStore tests, TallyStore tallies, VerdictStore verdicts, TestReader reader, WatchStore watch, PageStore pages, OwnerTime time) : PageModel
{
    private const int Days = 14;

    public sealed record Row(TestReading Reading, Funnel Funnel, IReadOnlyList<long> ConversionsByDay);

    public IReadOnlyList<Funnel> Funnels { get; private set; } = [];
    public IReadOnlyList<Row> Rows { get; private set; } = [];

    /// <summary>Outside pages that do not answer.</summary>
    public IReadOnlyList<(PageLook Look, string Page, string Address)> Down { get; private set; } = [];

    public long VisitorsThisWeek { get; private set; }

    public long ConversionsThisWeek { get; private set; }

    public long PagesKept { get; private set; }

    public string Heading
    {
        get
        {
            var ready = Rows.Count(row => row.Reading.Verdict.Keep is not null);
            var problems = Rows.Count(row => row.Reading.Verdict.Kind == VerdictKind.Problem);
            switch (ready, problems)
            {
                case ( > 0, > 0): return $"{Tests(ready)} ready to keep, and {Number(problems)} {(problems == 1 ? "needs" : "need")} you.";
                case ( > 0, 0): return $"{Tests(ready)} ready to keep.";
                case (0, > 0): return $"{(problems == 1 ? "One test needs" : $"{problems} tests need")} you.";
            }
            return Rows.Count switch { 0 => "Nothing is being tested.", 1 => "One test runs. Nothing needs you.", var n => $"{n} tests run. Nothing needs you." };
        }
    }

    public void OnGet()
    {
        Funnels = funnels.All();
        (VisitorsThisWeek, ConversionsThisWeek) = tallies.Since(time.Now.AddDays(-7));
        PagesKept = verdicts.Kept();
        var steps = funnels.AllSteps();
        var from = time.Now.AddDays(-Days);
        Down = [.. watch.All().Values.Where(look => look.DownSince is not null).Select(look =>
        {
            var page = pages.Find(look.Page)!;
            var step = steps.Single(step => step.Id == page.Step);
            return (look, page.Name, $"/f/{Funnels.Concat(funnels.Archived()).Single(funnel => funnel.Id == step.Funnel).Slug}/{step.Slug}/send");
        })];
        var every = Funnels.Concat(funnels.Archived()).ToDictionary(funnel => funnel.Id);
        Rows = [.. tests.Open().Select(test => reader.Read(test, steps))
            .OrderBy(reading => reading.Verdict.Kind switch { VerdictKind.Problem => 0, _ when reading.Verdict.Keep is not null => 1, VerdictKind.TooEarly => 2, _ => 3 })
            .Select(reading => new Row(reading, every[reading.Step.Funnel], ByDay(reading.Test, from)))];
    }

    private static string Tests(int count) => count == 1 ? "One test is" : $"{count} tests are";

    private static string Number(int count) => count == 1 ? "one" : Show.Count(count);

    private long[] ByDay(SplitTest test, DateTimeOffset from)
    {
        var days = new long[Days];
        foreach (var bucket in tallies.Buckets(test.Id, from)) days[Math.Clamp((int)(bucket.From - from).TotalDays, 0, Days - 1)] += bucket.Conversions;
        return days;
    }
}
