using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Wexil.App;
using Wexil.App.Drafts;
using Wexil.App.Outbox;
using Wexil.App.Results;
using Wexil.App.Serving;
using Wexil.App.Visits;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Sections;

/// <summary>The sections on a step's pages that are being tested: each by itself, and put together.</summary>
public sealed class SectionsModel(
    StepScreens screens,
    SectionsReader reader,
    FunnelStore funnels,
    TestStore tests,
    PageStore pages,
    TallyStore tallies,
    ExcludedPairStore excluded,
    VerdictRecorder keeper,
    SectionWriter writer,
    OwnerMail mail,
    VisitorsAddress visitors,
    HostedPages hosted,
    Routes routes
) : StepPageModel(screens)
{
    public override string Stage => "sections";

    public SectionsReading Reading { get; private set; } = null!;

    /// <summary>The best version of each section, in words.</summary>
    public string BestWords =>
        string.Join(
            ", ",
            Reading.Sections.Select(
                (section, i) =>
                    $"{section.Step.Name} {PageLetter.At(Reading.Together!.Best[i])} "
                    + Format.Quoted(section.Pages[Reading.Together.Best[i]].Name)
            )
        );

    /// <summary>The range that the rate of those lies in who saw the best combination; null while nobody did.</summary>
    public Interval? SeenRange =>
        Reading.Together is { Seen: { Visitors: > 0 } seen } ? WilsonInterval.Compute(seen) : null;

    /// <summary>What is said of the combination seen, beside what is expected of it.</summary>
    public string SeenWords =>
        (Reading.Together, SeenRange) switch
        {
            ({ BestRate: { } expected, Seen: var seen }, { } range)
                when range.Low <= expected && expected <= range.High =>
                $"{Format.Count(seen.Visitors, "visitor", "visitors")} saw exactly these, and "
                    + $"{Format.Percent(seen.Rate)} of them converted, as expected.",
            ({ BestRate: not null, Seen: var seen }, not null) =>
                $"{Format.Count(seen.Visitors, "visitor", "visitors")} saw exactly these, and "
                    + $"{Format.Percent(seen.Rate)} of them converted: further off than chance would explain.",
            _ => "No visitor has seen exactly these together yet.",
        };

    /// <summary>Sections that are not tested and have two versions or more, with how many.</summary>
    public IReadOnlyList<(Step Section, int Versions)> Ready { get; private set; } = [];

    /// <summary>Those that are to be tested, by id, where there is a choice.</summary>
    [BindProperty]
    public IReadOnlyList<long> Chosen { get; set; } = [];

    /// <summary>Unless said otherwise, those of which nothing was decided yet; where all were, all.</summary>
    public bool IsChosen(Step section) =>
        Chosen.Count > 0
            ? Chosen.Contains(section.Id.Value)
            : Ready.All(ready => IsDecided(ready.Section)) || !IsDecided(section);

    private bool IsDecided(Step section) => tests.ForStep(section.Id).Count > 0;

    /// <summary>The step whose being reached is the conversion.</summary>
    [BindProperty]
    public long Goal { get; set; }

    /// <summary>The rate expected of the page as it is, in percent.</summary>
    [BindProperty]
    [Range(0.01, 99, ErrorMessage = "From 0.01 to 99.")]
    public double BaseRate { get; set; } = 5;

    /// <summary>In percent.</summary>
    [BindProperty]
    [Range(1, 500, ErrorMessage = "From 1 to 500.")]
    public double SmallestLift { get; set; } = 20;

    /// <summary>What the tests take; null while fewer than two sections are ready.</summary>
    public SectionsPlan? Plan { get; private set; }

    /// <summary>New visitors of the page a day.</summary>
    public double VisitorsPerDay { get; private set; }

    /// <summary>The owner was told that whole pages are being tested too, and starts all the same.</summary>
    [BindProperty]
    public bool IsConfirmed { get; set; }

    /// <summary>Asks whether the sections are to be tested beside a test of whole pages.</summary>
    public bool AsksAboutPages { get; private set; }

    /// <summary>Every section of the step with its versions.</summary>
    public IReadOnlyList<(Step Section, IReadOnlyList<Page> Versions)> All { get; private set; } = [];

    /// <summary>Those that are on a page, to put a combination together from.</summary>
    public IReadOnlyList<(Step Section, IReadOnlyList<Page> Versions)> OnPages { get; private set; } = [];

    /// <summary>The versions asked to be seen together, by their names in addresses.</summary>
    [BindProperty(SupportsGet = true, Name = "see")]
    public IReadOnlyList<string> See { get; set; } = [];

    /// <summary>Where the combination is seen, by the page that has it; nothing there counts.</summary>
    public IReadOnlyList<(Page Page, string Address)> Previews =>
        See.Count == 0 ? [] : [.. pages.ForStep(Screen.Place.Id).Select(page => (page, Tried(page)))];

    /// <summary>The pairs that are never shown together, with what they are called.</summary>
    public IReadOnlyList<(PageId One, PageId Other, string Words)> Excluded { get; private set; } = [];

    /// <summary>A version of one section that is not to be shown with <see cref="Other"/>.</summary>
    [BindProperty]
    public long One { get; set; }

    /// <summary>A version of another section.</summary>
    [BindProperty]
    public long Other { get; set; }

    /// <summary>The sections whose best version is not sure yet, where they were to be kept.</summary>
    public IReadOnlyList<string> Unsure { get; private set; } = [];

    public void OnGet()
    {
        if (Screen.PastRate(Screen.LaterSteps.FirstOrDefault()) is { } rate)
            BaseRate = Math.Round(rate * 100, 1);
        Read();
    }

    /// <summary>Works the plan out with the form as it stands.</summary>
    [Logged(null)]
    public void OnPostPlan()
    {
        Read();
        CheckChoice();
    }

    private void CheckChoice()
    {
        LiftField.Check(ModelState, nameof(SmallestLift), BaseRate, SmallestLift);
        if (Ready.Count > 1 && Chosen.Count == 0)
            ModelState.AddModelError(nameof(Chosen), "Choose at least one section.");
    }

    /// <summary>Starts a test of each section that is ready, all with even weights.</summary>
    [Logged("Started tests of sections")]
    public async Task<IActionResult> OnPostAsync()
    {
        Read();
        CheckChoice();
        if (Screen.LaterSteps.All(step => step.Id.Value != Goal))
            ModelState.AddModelError(nameof(Goal), "Choose a goal.");
        AsksAboutPages = !IsConfirmed && tests.ForStep(Screen.Place.Id) is [{ IsOpen: true }, ..];
        if (!ModelState.IsValid || Ready.Count == 0 || AsksAboutPages)
            return Page();
        var begins = Ready.Where(ready => IsChosen(ready.Section)).ToArray();
        var compared = Compared(begins);
        foreach (var (section, versions) in begins)
            await tests.StartAsync(PlanOf(section, versions, compared));
        Done = $"{Format.Count(begins.Length, "section is", "sections are")} being tested.";
        return Redirect(Screen.Address(Screen.Place, "sections"));
    }

    /// <summary>The control and all that is compared together: those that begin, and those that run already.</summary>
    private int Compared((Step Section, int Versions)[] begins) =>
        1
        + begins.Sum(begun => begun.Versions - 1)
        + Screen
            .Sections.Where(section => begins.All(begun => begun.Section.Id != section.Id))
            .Sum(section => Math.Max(0, Screen.RunningPages.GetValueOrDefault(section.Id) - 1));

    private TestPlan PlanOf(Step section, int versions, int compared)
    {
        var first = pages.ForStep(section.Id).OrderBy(page => page.Id != section.Page).ThenBy(page => page.Id.Value);
        return new(
            section.Id,
            new(Goal),
            section.Name,
            "",
            BaseRate / 100,
            SmallestLift / 100,
            [.. first.Select(page => page.Id)],
            Weights.Even(versions),
            Beside: compared - versions
        );
    }

    /// <summary>Keeps the best version of each section, and publishes the page with them as a plain one.</summary>
    [Logged("Kept a variation of a section")]
    public async Task<IActionResult> OnPostKeepAsync()
    {
        ModelState.Clear();
        Read();
        if (Reading.Together is not { } together)
        {
            Done = "The sections are already decided. Nothing was changed.";
            return Redirect(Screen.Address(Screen.Place, "sections"));
        }
        var best = Reading.Sections.Select((section, i) => (section, section.Pages[together.Best[i]])).ToArray();
        Unsure =
        [
            .. best.Where(kept => kept.section.Verdict.Keep?.Id != kept.Item2.Id)
                .Select(kept => kept.section.Step.Name),
        ];
        if (Unsure.Count > 0 && !IsConfirmed)
            return Page();
        var words = BestWords;
        await keeper.KeepAsync([.. best.Select(kept => (kept.section, kept.Item2.Id))], VerdictStore.ByHand);
        var written = await writer.WriteInAsync(Screen.Funnel.Id, [.. best.Select(kept => kept.section.Step.Id)]);
        await mail.TellAsync(
            $"kept {string.Join(' ', best.Select(kept => kept.section.Test.Id.Value))}",
            $"Kept on {Screen.Place.Name}: {words}",
            $"Kept by hand, all together, on “{Screen.Place.Name}”: {words}.",
            Screen.Address(Screen.Place, "sections")
        );
        var plain = string.Join(", ", written.Select(page => Format.Quoted(page.Name)));
        Done =
            $"Kept: {words}. "
            + (
                written.Count > 0
                    ? $"{plain} {(written.Count == 1 ? "is a plain page" : "are plain pages")} with them now. "
                        + "The variations stay with their sections."
                    : "Everyone sees them from now on. The code to paste for good is on each section’s Keep screen."
            );
        return Redirect(Screen.Address(Screen.Place, "sections"));
    }

    /// <summary>The sections of the step that are put away.</summary>
    public IReadOnlyList<Step> PutAway =>
        [.. Screen.EverySection.Where(section => section.Host == Screen.Place.Id && section.IsArchived)];

    /// <summary>A test of the section runs.</summary>
    public bool IsTested(Step section) => Reading.Sections.Any(tested => tested.Step.Id == section.Id);

    /// <summary>How a section stands, in words.</summary>
    public string StateOf(Step section)
    {
        var shown = All.First(own => own.Section.Id == section.Id)
            .Versions.FirstOrDefault(version => version.Id == section.Page);
        if (IsTested(section))
            return "being tested";
        if (OnPages.Any(own => own.Section.Id == section.Id))
            return $"shows {Format.Quoted(shown?.Name ?? "nothing")}";
        return writer.PagesWithout(section).Count > 0
            ? $"{Format.Quoted(shown?.Name ?? "nothing")} is written into the page"
            : "on no page";
    }

    /// <summary>Writes what a section shows into the pages, and puts it away.</summary>
    [Logged("Archived a section")]
    public async Task<IActionResult> OnPostPutAwayAsync(long section)
    {
        ModelState.Clear();
        Read();
        if (Screen.Sections.FirstOrDefault(own => own.Id.Value == section) is not { } part)
            return NotFound();
        if (IsTested(part))
            Done = "The section is being tested. Keep a variation first.";
        else
        {
            await writer.WriteInAsync(Screen.Funnel.Id, [part.Id]);
            await funnels.ArchiveStepAsync(part.Id, forward: null);
            Done = $"{Format.Quoted(part.Name)} is archived. Visitors see the same as before.";
        }
        return Redirect(Screen.Address(Screen.Place, "sections"));
    }

    /// <summary>Takes a section out again, and puts it back on the pages not changed since.</summary>
    [Logged("Restored a section")]
    public async Task<IActionResult> OnPostBringBackAsync(long section)
    {
        ModelState.Clear();
        if (PutAway.FirstOrDefault(own => own.Id.Value == section) is not { } part)
            return NotFound();
        await funnels.RestoreStepAsync(part.Id);
        var changed = await writer.PutBackAsync(part);
        Done =
            $"{Format.Quoted(part.Name)} is restored."
            + (changed.Count > 0 ? $" {Format.Quoted(changed[0].Name)} has changed since and stays without it." : "");
        return Redirect(Screen.Address(Screen.Place, "sections"));
    }

    /// <summary>Excludes a pair of versions.</summary>
    [Logged("Excluded a combination")]
    public async Task<IActionResult> OnPostExcludeAsync()
    {
        ModelState.Clear();
        Read();
        var (one, other) = (Find(One), Find(Other));
        if (one is null || other is null || one == other)
            ModelState.AddModelError(nameof(Other), "Choose variations of two different sections.");
        else if (IsFirst(one, new(One)) || IsFirst(other, new(Other)))
            ModelState.AddModelError(
                nameof(Other),
                "The first variation of a section goes with everything. Choose another."
            );
        if (!ModelState.IsValid)
            return Page();
        await excluded.ExcludeAsync(Screen.Place.Id, new(One), new(Other));
        Done = "New visitors never see the two together. Running tests continue in a new phase.";
        return Redirect(Screen.Address(Screen.Place, "sections"));
    }

    /// <summary>Lets a pair be shown together again.</summary>
    [Logged("Allowed a combination again")]
    public async Task<IActionResult> OnPostAdmitAsync()
    {
        ModelState.Clear();
        await excluded.AdmitAsync(Screen.Place.Id, new(One), new(Other));
        Done = "The two can be shown together again. Running tests continue in a new phase.";
        return Redirect(Screen.Address(Screen.Place, "sections"));
    }

    private Step? Find(long version) =>
        All.FirstOrDefault(section => section.Versions.Any(own => own.Id.Value == version)).Section;

    private bool IsFirst(Step section, PageId version) =>
        version
        == (Reading.Sections.FirstOrDefault(tested => tested.Step.Id == section.Id)?.Test.Pages[0] ?? section.Page);

    /// <summary>The versions that can be excluded, by section; sections with none are left out.</summary>
    public IReadOnlyList<(Step Section, IReadOnlyList<Page> Versions)> Excludable =>
        [
            .. OnPages
                .Select(own => own with { Versions = [.. own.Versions.Where(page => !IsFirst(own.Section, page.Id))] })
                .Where(own => own.Versions.Count > 0),
        ];

    private string Name(PageId version) =>
        All.Where(section => section.Versions.Any(own => own.Id == version))
            .Select(section =>
                $"{section.Section.Name} {Format.Quoted(section.Versions.First(own => own.Id == version).Name)}"
            )
            .FirstOrDefault("an archived variation");

    private string Tried(Page page)
    {
        var chosen = $"{ChosenVersions.Parameter}={string.Join(',', See.Select(Uri.EscapeDataString))}";
        return page.Outside is { } outside
            ? new OutsideAddress(outside).With(chosen)
            : $"{visitors.Origin}/p/{page.Slug}/?{chosen}";
    }

    /// <summary>Which way takes least, in words.</summary>
    public string PlanWords =>
        Plan switch
        {
            { } plan when plan.AllAtOnce <= plan.OneAtATime =>
                "Testing all at once needs the fewest visitors, because each visitor counts for every section. "
                    + "Test one after another if two sections could affect each other, and whole pages if the "
                    + "changes only make sense together.",
            _ => "Testing one after another needs the fewest visitors here: with so many variations each "
                + "comparison has to be surer. Test whole pages if the changes only make sense together.",
        };

    private void Read()
    {
        Reading = reader.Read(Screen.Place, Screen.Steps, Screen.Sections);
        VisitorsPerDay = tallies.VisitorsPerDay(Screen.Place.Id);
        All = [.. Screen.Sections.Select(section => (section, pages.ForStep(section.Id)))];
        OnPages = [.. All.Where(own => IsOnPage(own.Section))];
        Ready =
        [
            .. OnPages
                .Where(own => own.Versions.Count > 1 && !IsTested(own.Section))
                .Select(own => (own.Section, own.Versions.Count)),
        ];
        Excluded =
        [
            .. excluded
                .On(Screen.Place.Id)
                .Select(pair => (pair.One, pair.Other, $"{Name(pair.One)} with {Name(pair.Other)}")),
        ];
        if (Goal == 0)
            Goal = Screen.LaterSteps.FirstOrDefault()?.Id.Value ?? 0;
        int[] planned = [.. Ready.Where(ready => IsChosen(ready.Section)).Select(ready => ready.Versions)];
        if (planned.Length > 1 && ModelState.IsValid)
            Plan = SectionsPlan.For(planned, BaseRate / 100, SmallestLift / 100);
    }

    // What was written into the pages is no section there any more; of outside pages nothing is known.
    private bool IsOnPage(Step section) =>
        routes
            .Current.Pages.Where(page => page.Step == Screen.Place.Id)
            .Any(page => page.Outside is not null || hosted.Plain(page).Keys.Contains(section.Slug));

    /// <summary>A pair of versions that stands out, in words.</summary>
    public string Say(SectionInteraction interaction)
    {
        var (first, second) = (Reading.Sections[interaction.First], Reading.Sections[interaction.Second]);
        var pair = interaction.Pair;
        return $"{first.Step.Name} {PageLetter.At(pair.First)} with {second.Step.Name} {PageLetter.At(pair.Second)} "
            + $"does better than expected: {Format.Percent(pair.Arm.Rate)}, against "
            + $"{Format.Percent(pair.Expected ?? 0)} from the two separately. Decide the two together.";
    }
}
