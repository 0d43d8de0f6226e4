using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Store;

namespace Wexil.Web.Studio.Shared;

/// <summary>What every screen of a step shows: the funnel's strip, the four stages, the step itself.</summary>
/// <param name="Visitors">How many visitors each step had.</param>
/// <param name="RunningPages">How many pages the running test of each step has.</param>
/// <param name="Reading">The step's newest test, running or decided.</param>
public sealed record StepScreen(
    Funnel Funnel,
    IReadOnlyList<Step> Steps,
    Step Step,
    IReadOnlyDictionary<StepId, long> Visitors,
    IReadOnlyDictionary<StepId, int> RunningPages,
    IReadOnlyList<Page> Pages,
    TestReading? Reading,
    DateTimeOffset At
)
{
    /// <summary>The step on whose page the section is; null where this is a step itself.</summary>
    public Step? Host => Steps.FirstOrDefault(step => step.Id == Step.Host);

    /// <summary>The place on the path: the step, or the one on whose page the section is.</summary>
    public Step Place => Host ?? Step;

    /// <summary>The sections on the pages of that step.</summary>
    public IReadOnlyList<Step> Sections { get; init; } = [];

    /// <summary>
    /// How many variations of the other sections on the page are being tested: what is compared together with a test
    /// of this one. 0 for a test of pages.
    /// </summary>
    public int ComparedBeside =>
        Step.IsSection
            ? Sections
                .Where(section => section.Id != Step.Id)
                .Sum(section => Math.Max(0, RunningPages.GetValueOrDefault(section.Id) - 1))
            : 0;

    /// <summary>Those on the pages of all steps of the funnel.</summary>
    public IReadOnlyList<Step> EverySection { get; init; } = [];

    /// <summary>What is tested here: pages, or versions of a section.</summary>
    public string Thing => TestReading.ThingOf(Step);

    /// <summary>Where everybody sees what is kept.</summary>
    public string ShownBy =>
        Step.IsSection ? $"the pages of {Format.Quoted(Place.Name)} show" : $"/go/{Place.Slug} shows";

    public bool IsOpen => Reading is { Test.IsOpen: true };

    public TestReading? Open => IsOpen ? Reading : null;

    /// <summary>The open test, where it is not the check of a kept page: that gives way to a new test.</summary>
    public TestReading? Testing => Open is { Test.Check: null } ? Open : null;

    /// <summary>The check of a kept page that goes on.</summary>
    public TestReading? Checking => Open is { Test.Check: not null } ? Open : null;

    public TestState? State => Reading?.Test.StateAt(At);

    /// <summary>Nobody has said yet that one of its pages is live, so its link shows none.</summary>
    public bool IsNotLive => Step is { Page: null, IsSection: false } && !IsOpen;

    public Page? KeptPage => Pages.FirstOrDefault(page => page.Id == Step.Page);

    /// <summary>The steps that can be a goal: those that come after this one.</summary>
    public IEnumerable<Step> LaterSteps => Steps.Where(step => step.Position > Place.Position);

    /// <summary>
    /// The share of the visitors here who went on to another step before; null where too few came to tell.
    /// </summary>
    public double? PastRate(Step? goal) =>
        goal is not null
        && Visitors.GetValueOrDefault(Place.Id) is >= MinPastVisitors and var visitors
        && Visitors.GetValueOrDefault(goal.Id) is >= MinPastConversions and var onward
        && onward < visitors
            ? (double)onward / visitors
            : null;

    private const long MinPastVisitors = 200,
        MinPastConversions = 10;

    public string Address(string stage) => Address(Step, stage);

    public string Address(Step step, string stage) => $"/f/{Funnel.Slug}/{step.Slug}/{stage}";

    /// <summary>How a stage stands, in a line.</summary>
    public string Line(string stage) =>
        stage switch
        {
            "build" when Pages.Count == 0 => "No pages yet",
            "build" => Host is null
                ? Format.Count(Pages.Count, "page", "pages")
                : Format.Count(Pages.Count, "variation", "variations"),
            "send" when Open is { } open => string.Join(
                " · ",
                open.Test.Weights.Percent.Select((weight, i) => $"{PageLetter.At(i)} {weight}")
            )
                + (State, open.Test.Settings) switch
                {
                    (TestState.Paused, _) => " · paused",
                    (TestState.Scheduled, _) => " · starts later",
                    (TestState.Over, _) => " · over",
                    (_, { Share: < 100 and var share }) => $" · {share}% take part",
                    (_, { Audience.IsEveryone: false }) => " · part of the traffic",
                    _ => " · everyone",
                },
            "send" => KeptPage is { } page ? $"Everyone sees {Format.Quoted(page.Name)}" : "The link shows no page yet",
            "count" when Reading is { Result.Total: var total } reading =>
                $"{Format.Count(total.Visitors, "visitor", "visitors")} · "
                    + $"{Format.Count(total.Conversions, reading.Words.One, reading.Words.Many)}",
            "count" => "Nothing tested yet",
            "keep" when Open is { } open => OpenKeep(open),
            "keep" when Reading is not null && KeptPage is { } page => $"Kept {Format.Quoted(page.Name)}",
            _ => "Nothing to keep yet",
        };

    private string OpenKeep(TestReading open)
    {
        var (label, verdict) = (open.Says.Label, open.Verdict);
        if (Checking?.Test.Settings.Until is { } until)
            return $"{label} · {Format.Count((long)Math.Ceiling((until - At).TotalDays), "day", "days")} left";
        if (verdict.Forecast is { } forecast && ForecastWording.Days(forecast) is { } days)
            return $"{label} · about {days} to go";
        return verdict.Keep is { } keep ? $"{label}: keep {keep.Letter}" : label;
    }
}

/// <summary>Finds a step's screen by its address.</summary>
public sealed class StepScreens(
    FunnelStore funnels,
    PageStore pages,
    TestStore tests,
    TallyStore tallies,
    TestReader reader,
    Readings readings,
    TimeProvider time
)
{
    public StepScreen? Find(string funnelSlug, string stepSlug)
    {
        if (funnels.BySlug(funnelSlug) is not { } funnel)
            return null;
        var (steps, sections) = (funnels.Steps(funnel.Id), funnels.Sections(funnel.Id));
        if (steps.Concat(sections).FirstOrDefault(s => s.Slug == stepSlug) is not { } step)
            return null;
        var running = tests.OpenIn(funnel.Id).ToDictionary(test => test.Step, test => test.Pages.Count);
        var test = tests.ForStep(step.Id) is [var newest, ..] ? newest : null;
        // A test's goal may have been put away since.
        var reading = test is null ? null : Read(test, steps.Concat(sections).ToDictionary(s => s.Id));
        // What is put away is out of sight, unless it is what one looks at.
        var place = step.Host ?? step.Id;
        steps = [.. steps.Where(s => !s.IsArchived || s.Id == place)];
        return new(
            funnel,
            steps,
            step,
            tallies.StepVisitors(),
            running,
            pages.ForStep(step.Id),
            reading,
            time.GetUtcNow()
        )
        {
            EverySection = sections,
            Sections = [.. sections.Where(section => section.Host == place && !section.IsArchived)],
        };
    }

    private TestReading Read(SplitTest test, Dictionary<StepId, Step> steps) =>
        test.IsOpen ? readings.Of(test, steps) : reader.Read([test], steps).Single();
}
