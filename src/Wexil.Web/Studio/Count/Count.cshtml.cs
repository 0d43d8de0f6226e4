using Microsoft.AspNetCore.Mvc;
using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Count;

/// <summary>Two tests that ran side by side, crossed.</summary>
/// <param name="IsOnePage">Both are on the same page, as two sections are, or a section and the page itself.</param>
/// <param name="Earned">What the visitors of each pair bought, by the pages' places; null while no order is
/// known.</param>
public sealed record Crossing(
    SplitTest First,
    string FirstStep,
    SplitTest Second,
    string SecondStep,
    bool IsOnePage,
    InteractionTable Table,
    Func<int, int, long>? Earned,
    Func<SplitTest, int, string> Name
)
{
    public PairResult? At(int first, int second) =>
        Table.Pairs.FirstOrDefault(pair => pair.First == first && pair.Second == second);
}

/// <summary>Which page pulls best, and whether the numbers can be trusted.</summary>
public sealed class CountModel(
    StepScreens screens,
    TestStore tests,
    TallyStore tallies,
    PageStore pages,
    SettingStore settings,
    Segments segments,
    SectionsReader sections,
    CrowdReader crowds,
    LookStore looks,
    OwnerTime clock
) : StepPageModel(screens)
{
    public override string Stage => "count";

    /// <summary>Visitors who saw a page without being drawn.</summary>
    public IReadOnlyList<(string Words, string Page, Arm Arm)> Apart { get; private set; } = [];

    public IReadOnlyList<TestChange> Changes { get; private set; } = [];

    public IReadOnlyList<Crossing> Crossings { get; private set; } = [];

    /// <summary>The sections of the step's pages that are being tested; none on a section's own screen.</summary>
    public IReadOnlyList<TestReading> Sections =>
        field ??= Screen.Step.IsSection ? [] : sections.Open(Screen.Steps, Screen.Sections);

    /// <summary>What the visitors of each page brought in the owner's currency; empty where nobody bought.</summary>
    public IReadOnlyList<PageMoney> Money { get; private set; } = [];

    /// <summary>
    /// What is looked at: nothing for the main goal, <c>buyers</c>, <c>money</c>, or the number of another goal.
    /// </summary>
    [BindProperty(SupportsGet = true)]
    public string? By { get; set; }

    /// <summary>An open screen asks for its figures, and for nothing around them.</summary>
    [BindProperty(SupportsGet = true)]
    public bool Live { get; set; }

    /// <summary>Over time as a running total, and not by day.</summary>
    [BindProperty(SupportsGet = true)]
    public bool Running { get; set; }

    /// <summary>By what the visitors are told apart.</summary>
    [BindProperty(SupportsGet = true)]
    public SegmentKind Segment { get; set; } = SegmentKind.Device;

    /// <summary>The figures by what is looked at.</summary>
    public TestResult Shown { get; private set; } = null!;

    /// <summary>The other goal that is looked at; null for the main goal, and for money.</summary>
    public TestGoalRow? Goal { get; private set; }

    /// <summary>Who bought, whatever the test's goals are.</summary>
    public bool IsBuyers => By == "buyers" && Money.Count > 0;

    public bool IsMoney => By == "money" && Money.Count > 0;

    /// <summary>How often the goal that is looked at was met, and what that was worth, by page.</summary>
    public IReadOnlyDictionary<PageId, (long Times, long Value)> Met { get; private set; } =
        new Dictionary<PageId, (long, long)>();

    public IReadOnlyDictionary<(PageId Page, StepId Step), long> Path { get; private set; } =
        new Dictionary<(PageId, StepId), long>();

    public IReadOnlyDictionary<PageId, PageStay> Stays { get; private set; } = new Dictionary<PageId, PageStay>();

    /// <summary>The way through the plan; null without one, and where another goal is looked at.</summary>
    public PlanChart? Plan { get; private set; }

    /// <summary>What a part of a week does to the verdict; null where that is nothing.</summary>
    public WeekCheck? Week { get; private set; }

    /// <summary>Many visitors come from one hand; null where that is not so.</summary>
    public CrowdAlarm? Crowds { get; private set; }

    public TimeChart? Time { get; private set; }

    /// <summary>Null where the weights never changed.</summary>
    public WeightsChart? Weights { get; private set; }

    public SegmentView Segmented { get; private set; } = SegmentView.None;

    /// <summary>What the owner was told before the test started.</summary>
    public IReadOnlyList<ReadyLine> Ready { get; private set; } = [];

    /// <summary>The address of this screen with something else looked at.</summary>
    public string With(string? by = null, bool? running = null, SegmentKind? segment = null)
    {
        var kind = segment ?? Segment;
        var parts = new[]
        {
            (by ?? By) is { Length: > 0 } what ? $"by={what}" : "",
            running ?? Running ? "running=true" : "",
            kind != SegmentKind.Device ? $"segment={kind}" : "",
        };
        var query = string.Join('&', parts.Where(part => part.Length > 0));
        return Screen.Address("count") + (query.Length > 0 ? "?" + query : "");
    }

    /// <summary>Visits that were served and left out of every count.</summary>
    public long LeftOut { get; private set; }

    public void OnGet()
    {
        // The message about what was just done belongs to the next screen that the owner opens.
        if (Live)
            TempData.Keep();
        if (Screen.Reading is not { } reading)
            return;
        Changes = Live ? [] : ChangeLog.Summarize(tests.Changes(reading.Test.Id));
        Money = tallies.Money(reading.Test, settings.Currency);
        var goals = tallies.Goals(reading.Test.Id);
        Goal = reading.Goals.FirstOrDefault(goal =>
            !goal.IsMain && goal.Id.Value.ToString(System.Globalization.CultureInfo.InvariantCulture) == By
        );
        Shown = ResultShown(reading, goals);
        if (!IsBuyers && (Goal ?? reading.Main) is { } shown)
            Met = SumByPage(goals.Where(tally => tally.Goal == shown.Id));
        Path = tallies.Path(reading.Test.Id);
        Stays = tallies.Stays(reading.Test.Id).ToDictionary(stay => stay.Page);
        LoadDeeper(reading);
    }

    /// <summary>Figures over time, by segment, of visitors outside the test, and of pairs of tests.</summary>
    private void LoadDeeper(TestReading reading)
    {
        Time = TimeChart.From(
            reading,
            tallies.PageBuckets(reading.Test.Id),
            settings.Zone,
            clock.Now,
            Running,
            IsMoney ? settings.Currency : null
        );
        Weights = WeightsChart.Create(reading.Phases, clock.Now, clock.Moment);
        var onMoney = reading.Test.Rule.OnMoney;
        if (Goal is null && !IsBuyers && IsMoney == onMoney)
            Plan = PlanChart.Create(reading, looks.Points(reading.Test.Id, onMoney), onMoney, clock);
        Crowds = crowds.Read(reading.Test, Screen.Steps);
        var until = reading.Test.DecidedAt ?? clock.Now;
        Week = WeekCheck.Find(tallies.ByWeekday(reading.Test.Id), (until - reading.Test.StartedAt).TotalDays);
        Segmented = IsMoney
            ? SegmentView.From(segments.Money(Screen, reading, Segment), settings.Currency)
            : SegmentView.From(segments.For(Screen, reading, Segment), reading.Words.Many);
        Ready = tests.Ready(reading.Test.Id);
        LeftOut = tallies.LeftOut(Screen.Place.Id).Values.Sum();
        Apart =
        [
            .. tallies.Apart(reading.Test.Id).Select(arm => (Words(arm.Reason), pages.Find(arm.Page)!.Name, arm.Arm)),
        ];
        Crossings =
        [
            .. tallies
                .Pairs(reading.Test.Id)
                .Select(pair => Cross(tests.Find(pair.First)!, tests.Find(pair.Second)!, pair.Cells)),
        ];
    }

    private TestResult ResultShown(TestReading reading, IReadOnlyList<GoalTally> goals)
    {
        if (Goal is { } other)
            return OtherGoal.By(reading, other, goals);
        if (!IsBuyers)
            return reading.Result;
        var buyers = tallies
            .MoneyByPhase(reading.Test.Id, settings.Currency)
            .ToDictionary(money => money.Key, money => money.Value.Buyers);
        return OtherGoal.By(reading, buyers, isLess: false, ("buyers", "buyer"));
    }

    private static Dictionary<PageId, (long Times, long Value)> SumByPage(IEnumerable<GoalTally> goals) =>
        goals
            .GroupBy(tally => tally.Page)
            .ToDictionary(
                group => group.Key,
                group => (group.Sum(tally => tally.Times), group.Sum(tally => tally.Value))
            );

    private Crossing Cross(SplitTest first, SplitTest second, IReadOnlyList<PairCell> cells) =>
        new(
            first,
            StepName(first),
            second,
            StepName(second),
            StepOf(first) is { } one && StepOf(second) is { } other && (one.Host ?? one.Id) == (other.Host ?? other.Id),
            InteractionTable.From([
                .. first.Pages.Select(a =>
                    (IReadOnlyList<Arm>)
                        [
                            .. second.Pages.Select(b =>
                                cells.FirstOrDefault(cell => cell.First == a && cell.Second == b)?.Arm ?? default
                            ),
                        ]
                ),
            ]),
            cells.Any(cell => cell.Earned != 0)
                ? (a, b) =>
                    cells.FirstOrDefault(cell => cell.First == first.Pages[a] && cell.Second == second.Pages[b])?.Earned
                    ?? 0
                : null,
            (test, i) => pages.Find(test.Pages[i])!.Name
        );

    private Step? StepOf(SplitTest test) =>
        Screen.Steps.Concat(Screen.EverySection).FirstOrDefault(step => step.Id == test.Step);

    private string StepName(SplitTest test) => StepOf(test)?.Name ?? "an archived step";

    private static string Words(ExclusionReason reason) =>
        reason switch
        {
            ExclusionReason.Tied => "From a source that always shows this page",
            ExclusionReason.Affiliate => "From affiliates, split among pages open to them",
            ExclusionReason.Audience => "Not in the audience",
            ExclusionReason.Combination => "Another section showed a variation that does not go with all of these",
            ExclusionReason.Share => "Outside the chosen share",
            ExclusionReason.Late => "Stayed because Wexil responded too late",
            _ => "Came while the test was not running",
        };
}
