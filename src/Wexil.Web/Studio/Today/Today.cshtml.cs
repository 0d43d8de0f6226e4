using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Background;
using Wexil.App.Results;
using Wexil.App.Setup;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Store;

namespace Wexil.Web.Studio.Today;

/// <summary>What needs the owner, what is ready, what runs.</summary>
public sealed class TodayModel(
    FunnelStore funnels,
    TestStore tests,
    TallyStore tallies,
    KeptGains gains,
    TestReader reader,
    WatchStore watch,
    PageStore pages,
    SettingStore settings,
    OutboxStore outgoing,
    BackgroundProblems problems,
    FirstTestGuide guide,
    OwnerTime time
) : PageModel
{
    private const int Days = 14,
        MaxWorthwhile = 3;

    /// <param name="Host">The step on whose pages the section is that is tested; null for a test of pages.</param>
    public sealed record Row(TestReading Reading, Funnel Funnel, Step? Host, IReadOnlyList<long> ConversionsByDay);

    /// <summary>How far the owner is on the way to a first test.</summary>
    public FirstTestState FirstTest { get; private set; } = null!;

    public IReadOnlyList<Funnel> Funnels { get; private set; } = [];
    public IReadOnlyList<Row> Rows { get; private set; } = [];

    /// <summary>Outside pages that do not answer.</summary>
    public IReadOnlyList<(PageLook Look, string Page, string Address)> Down { get; private set; } = [];

    /// <summary>What the program does by itself and cannot do at present.</summary>
    public IReadOnlyList<BackgroundProblem> Problems { get; private set; } = [];

    /// <summary>How much was given up after two days of trying to send it.</summary>
    public long GivenUp { get; private set; }

    public long VisitorsThisWeek { get; private set; }

    public long ConversionsThisWeek { get; private set; }

    /// <summary>
    /// What kept pages have brought more than those they replaced: what is known in money in one sum, then one for each
    /// word for a conversion.
    /// </summary>
    public IReadOnlyList<(GainLine Sum, int Pages)> Gained { get; private set; } = [];

    /// <summary>Steps where a better page would bring most, none of which is being tested.</summary>
    public IReadOnlyList<(StepOpportunity Chance, Funnel Funnel)> Worthwhile { get; private set; } = [];

    public string Heading
    {
        get
        {
            var ready = Rows.Count(row => row.Reading.Verdict.Keep is not null);
            var problems = Rows.Count(row => row.Reading.Verdict.Kind == VerdictKind.Problem);
            if (ready > 0 && problems > 0)
                return $"{Tests(ready)} ready to keep, and {Number(problems)} {(problems == 1 ? "needs" : "need")} "
                    + "attention.";
            if (ready > 0)
                return $"{Tests(ready)} ready to keep.";
            if (problems > 0)
                return $"{(problems == 1 ? "One test needs attention." : $"{problems} tests need")} attention.";
            return Rows.Count switch
            {
                0 => "No tests are running.",
                1 => "One test is running. Nothing needs your attention.",
                var n => $"{n} tests are running. Nothing needs your attention.",
            };
        }
    }

    public void OnGet()
    {
        Funnels = funnels.All();
        FirstTest = guide.State();
        (Problems, GivenUp) = (problems.All, outgoing.Unsent().Failed);
        (VisitorsThisWeek, ConversionsThisWeek) = tallies.Since(time.Now.AddDays(-7));
        Gained =
        [
            .. gains
                .All()
                .GroupBy(line => line.Currency?.Code ?? line.Many)
                .Select(group => (group.Aggregate(Together), group.Count()))
                .OrderBy(sum => sum.Item1.Currency is null),
        ];
        var steps = funnels.AllSteps();
        var from = time.Now.AddDays(-Days);
        Worthwhile = WorthTesting(steps);
        var every = funnels.Every();
        Down =
        [
            .. watch.All().Values.Where(look => look.DownSince is not null).Select(look => Named(look, steps, every)),
        ];
        Rows =
        [
            .. tests
                .Open()
                .Select(test => reader.Read(test, steps))
                .OrderBy(Urgency)
                .Select(reading => new Row(
                    reading,
                    every[reading.Step.Funnel],
                    steps.FirstOrDefault(step => step.Id == reading.Step.Host),
                    ByDay(reading.Test, from)
                )),
        ];
    }

    private static GainLine Together(GainLine sum, GainLine line) =>
        sum with
        {
            Gain = sum.Gain + line.Gain,
            Visitors = sum.Visitors + line.Visitors,
        };

    private static int Urgency(TestReading reading) =>
        reading.Verdict.Kind switch
        {
            VerdictKind.Problem => 0,
            _ when reading.Verdict.Keep is not null => 1,
            VerdictKind.TooEarly => 2,
            _ => 3,
        };

    private (PageLook Look, string Page, string Address) Named(
        PageLook look,
        IReadOnlyList<Step> steps,
        IReadOnlyDictionary<FunnelId, Funnel> every
    )
    {
        var page = pages.Find(look.Page)!;
        var step = steps.Single(step => step.Id == page.Step);
        return (look, page.Name, $"/f/{every[step.Funnel].Slug}/{step.Slug}/send");
    }

    private IReadOnlyList<(StepOpportunity, Funnel)> WorthTesting(IReadOnlyList<Step> steps)
    {
        var (traffic, tested, currency) = (
            tallies.Traffic(),
            tests.Open().Select(test => test.Step).ToHashSet(),
            settings.Currency
        );
        var hosts = steps.Where(step => step.IsSection && tested.Contains(step.Id)).Select(step => step.Host!.Value);
        tested.UnionWith([.. hosts]);
        return
        [
            .. Funnels
                .SelectMany(funnel =>
                    StepOpportunity
                        .Find(
                            [.. steps.Where(step => step.Funnel == funnel.Id && !step.IsSection)],
                            traffic,
                            tallies.Earned(funnel.Id, currency)
                        )
                        .Select(chance => (chance, funnel))
                )
                .Where(row => row.chance.Step.Page is not null && !tested.Contains(row.chance.Step.Id))
                .OrderByDescending(row => row.chance.WorthPerWeek ?? 0)
                .ThenByDescending(row => row.chance.MorePerWeek)
                .Take(MaxWorthwhile),
        ];
    }

    private static string Tests(int count) => count == 1 ? "One test is" : $"{count} tests are";

    private static string Number(int count) => count == 1 ? "one" : Format.Count(count);

    private long[] ByDay(SplitTest test, DateTimeOffset from)
    {
        var days = new long[Days];
        foreach (var bucket in tallies.Buckets(test.Id, from))
            days[Math.Clamp((int)(bucket.From - from).TotalDays, 0, Days - 1)] += bucket.Conversions;
        return days;
    }
}
