using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Backups;
using Wexil.App.Health;
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
    Readings readings,
    CrowdAlarms crowds,
    WatchStore watch,
    PageStore pages,
    SettingStore settings,
    OutboxStore outgoing,
    HealthProblems health,
    BackupFolder backups,
    FirstTestGuide guide,
    OwnerTime time
) : PageModel
{
    private const int Days = 14,
        MaxWorthwhile = 3,
        MaxRows = 100;

    /// <summary>The newest are at hand; the list of all finds the others.</summary>
    public const int MaxFunnels = 12;

    /// <param name="Host">The step on whose pages the section is that is tested; null for a test of pages.</param>
    public sealed record Row(TestReading Reading, Funnel Funnel, Step? Host, IReadOnlyList<long> ConversionsByDay);

    /// <summary>How far the owner is on the way to a first test.</summary>
    public FirstTestState FirstTest { get; private set; } = null!;

    public IReadOnlyList<Funnel> Funnels { get; private set; } = [];

    /// <summary>The tests that run, those first that need the owner; at most a hundred.</summary>
    public IReadOnlyList<Row> Rows { get; private set; } = [];

    /// <summary>How many tests run.</summary>
    public int Running { get; private set; }

    /// <summary>Outside pages that do not answer.</summary>
    public IReadOnlyList<(PageLook Look, string Page, string Address)> Down { get; private set; } = [];

    /// <summary>Tests with many visitors from one hand, and where that is said.</summary>
    public IReadOnlyList<(CrowdAlarm Alarm, string Address)> Crowds { get; private set; } = [];

    /// <summary>What is wrong with Wexil itself; that nothing can be saved is said on every screen.</summary>
    public IReadOnlyList<HealthProblem> Problems { get; private set; } = [];

    /// <summary>When the last backup was made; null where none is made by the clock.</summary>
    public DateTimeOffset? LastBackup { get; private set; }

    /// <summary>Backups are made by the clock.</summary>
    public bool AreBackupsMade => backups.IsUsed;

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

    private int _ready,
        _problems;

    public string Heading
    {
        get
        {
            var (ready, problems) = (_ready, _problems);
            if (ready > 0 && problems > 0)
                return $"{Tests(ready)} ready to keep, and {Number(problems)} {(problems == 1 ? "needs" : "need")} "
                    + "attention.";
            if (ready > 0)
                return $"{Tests(ready)} ready to keep.";
            if (problems > 0)
                return $"{(problems == 1 ? "One test needs" : $"{Format.Count(problems)} tests need")} attention.";
            return Running switch
            {
                0 => "No tests are running.",
                1 => "One test is running. Nothing needs your attention.",
                var n => $"{Format.Count(n)} tests are running. Nothing needs your attention.",
            };
        }
    }

    public void OnGet()
    {
        Funnels = funnels.All();
        FirstTest = guide.State();
        Problems = [.. health.Now().Where(problem => problem.Key != HealthProblem.Recording)];
        (LastBackup, GivenUp) = (backups.Last, outgoing.Unsent().Failed);
        ConversionsThisWeek = tallies.ConversionsLastWeek();
        Gained =
        [
            .. gains
                .All()
                .Where(line => line.Visitors > 0)
                .GroupBy(line => line.Currency?.Code ?? line.Many)
                .Select(group => (group.Aggregate(Together), group.Count()))
                .OrderBy(sum => sum.Item1.Currency is null),
        ];
        var steps = funnels.AllSteps();
        var traffic = tallies.Traffic();
        VisitorsThisWeek = (long)Math.Round(traffic.Values.Sum(step => step.PerDay) * 7);
        Worthwhile = WorthTesting(steps, traffic);
        var every = funnels.Every();
        Down =
        [
            .. watch
                .All()
                .Values.Where(look => look.DownSince is not null)
                .Select(look => Named(look, steps, every))
                .OfType<(PageLook, string, string)>(),
        ];
        Crowds =
        [
            .. crowds
                .Last.Values.Where(alarm => !every[alarm.Without.Step.Funnel].IsArchived)
                .Select(alarm =>
                    (alarm, $"/f/{every[alarm.Without.Step.Funnel].Slug}/{alarm.Without.Step.Slug}/count#crowds")
                ),
        ];
        Rows = RunningTests(steps.ToDictionary(step => step.Id), every);
    }

    private IReadOnlyList<Row> RunningTests(
        IReadOnlyDictionary<StepId, Step> steps,
        IReadOnlyDictionary<FunnelId, Funnel> every
    )
    {
        // A funnel that is put away asks for nothing; its links go on, and its tests stand in the list of all.
        var open = readings.Open(steps).Where(reading => !every[reading.Step.Funnel].IsArchived).ToArray();
        Running = open.Length;
        _ready = open.Count(reading => reading.Verdict is { Keep: not null, Kind: not VerdictKind.Worse });
        _problems = open.Count(reading => reading.Verdict.Kind is VerdictKind.Problem or VerdictKind.Worse);
        TestReading[] shown = [.. open.OrderBy(Urgency).Take(MaxRows)];
        var byDay = tallies.ConversionsByDay(shown.Select(reading => reading.Test.Id), time.Now.AddDays(-Days), Days);
        return
        [
            .. shown.Select(reading => new Row(
                reading,
                every[reading.Step.Funnel],
                reading.Step.Host is { } host ? steps[host] : null,
                byDay[reading.Test.Id]
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
            VerdictKind.Problem or VerdictKind.Worse => 0,
            _ when reading.Verdict.Keep is not null => 1,
            VerdictKind.TooEarly or VerdictKind.Checking => 2,
            _ => 3,
        };

    private (PageLook Look, string Page, string Address)? Named(
        PageLook look,
        IReadOnlyList<Step> steps,
        IReadOnlyDictionary<FunnelId, Funnel> every
    )
    {
        var page = pages.Find(look.Page)!;
        var step = steps.Single(step => step.Id == page.Step);
        var funnel = every[step.Funnel];
        return funnel.IsArchived ? null : (look, page.Name, $"/f/{funnel.Slug}/{step.Slug}/send");
    }

    private IReadOnlyList<(StepOpportunity, Funnel)> WorthTesting(
        IReadOnlyList<Step> steps,
        IReadOnlyDictionary<StepId, StepTraffic> traffic
    )
    {
        var (tested, earned) = (tests.OpenSteps().ToHashSet(), tallies.Earned(settings.Currency));
        var hosts = steps.Where(step => step.IsSection && tested.Contains(step.Id)).Select(step => step.Host!.Value);
        tested.UnionWith([.. hosts]);
        var byFunnel = steps.Where(step => !step.IsSection).ToLookup(step => step.Funnel);
        return
        [
            .. Funnels
                .SelectMany(funnel =>
                    StepOpportunity
                        .Find([.. byFunnel[funnel.Id]], traffic, earned.GetValueOrDefault(funnel.Id))
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
}
