using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Wexil.App;
using Wexil.App.Installation;
using Wexil.App.Results;
using Wexil.App.Setup;
using Wexil.App.Tickets;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.SplitTests;
using Wexil.Core.Targeting;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Send;

/// <summary>The link, and how its visitors are split.</summary>
public sealed class SendModel(
    StepScreens screens,
    TestStore tests,
    TallyStore tallies,
    FunnelStore funnels,
    SourceStore sources,
    WatchStore watch,
    SettingStore settings,
    VisitorsAddress visitors,
    VerdictRecorder keeper,
    TryTickets tries,
    LastSeen seen,
    Upcoming upcoming,
    Readiness readiness,
    TestNames names,
    OwnerTime clock
) : TestFormModel(screens, settings, clock)
{
    /// <summary>How many phases are listed, the newest; weights that follow the evidence begin one an hour.</summary>
    public const int MaxPhases = 20;

    public override string Stage => "send";

    public string Link => visitors.Link(Screen.Place.Slug);

    public double VisitorsPerDay { get; private set; }

    public DateTimeOffset Now => Clock.Now;

    public IReadOnlyList<SourceLine> Sources { get; private set; } = [];

    public IReadOnlyDictionary<PageId, PageLook> Looks { get; private set; } = new Dictionary<PageId, PageLook>();

    public IReadOnlyList<TestChange> Changes { get; private set; } = [];

    public IReadOnlyDictionary<NotCountedReason, long> LeftOut { get; private set; } =
        new Dictionary<NotCountedReason, long>();

    public Currency Currency => Settings.Currency;

    public bool IsAffiliated => Sources.Any(line => line.Source?.Kind == SourceKind.Affiliate);

    public Ahead Ahead { get; private set; } = null!;

    /// <summary>What trying the rules said.</summary>
    public (bool Runs, string Words)? Judged { get; private set; }

    public string? TryLink { get; private set; }

    /// <summary>
    /// The control where a test can start: that of the running test, else the page that everyone sees. Null where it is
    /// hosted here.
    /// </summary>
    public Core.Pages.Page? OutsideControl =>
        (Screen.Testing?.Pages[0] ?? Screen.KeptPage) is { Outside: not null } page ? page : null;

    /// <summary>What is pasted into the outside control.</summary>
    public string? Loader =>
        OutsideControl is { } control
            ? StartLoader.For(Screen.Step.Slug, visitors.Origin, control.Outside!, Screen.Step.StartWait)
            : null;

    public DateTimeOffset? LoaderAsked => seen.LastStart(Screen.Step.Slug);

    [BindProperty]
    public CarryKind Carries { get; set; }

    [BindProperty]
    public string? CarryNames { get; set; }

    [BindProperty]
    public bool StartsOnPage { get; set; }

    /// <summary>In milliseconds.</summary>
    [BindProperty]
    public int StartWait { get; set; }

    [BindProperty]
    public bool Redirects { get; set; }

    [BindProperty(Name = nameof(Try))]
    public TryForm Try { get; set; } = new();

    public void OnGet()
    {
        FillLink();
        FillStart();
        if (Screen.Testing is { } open)
            FillFrom(open.Test);
        else
            FillAnew();
        GoesLive = true;
        LoadAround();
    }

    /// <summary>What lies ahead with the settings as they stand in the form; for the screen to follow them.</summary>
    public IActionResult OnGetAhead(string weights, [FromQuery] SplitForm form)
    {
        var parts = (weights ?? "")
            .Split('/')
            .Select(part =>
                int.TryParse(part, NumberStyles.None, CultureInfo.InvariantCulture, out var weight) ? weight : -1
            )
            .ToArray();
        return new JsonResult(
            Weights.Check(parts).Weights is { } split
                ? upcoming.For(Screen, split, form, tallies.VisitorsPerDay(Screen.Place.Id))
                : null
        );
    }

    [Logged("Started a test")]
    public async Task<IActionResult> OnPostStartAsync()
    {
        if (Screen.Testing is not null)
            return Unchanged("A test is already running on this step. Nothing was started.");
        var chosen = Chosen();
        var weights = CheckWeights(chosen);
        if (chosen.Length > 0 && chosen[0].Page != Control)
            ModelState.AddModelError(nameof(Control), "Choose the control from the pages in the test.");
        var main = ReadMainGoal();
        if (main is not { LessIsBetter: true })
            LiftField.Check(ModelState, nameof(SmallestLift), BaseRate ?? 0, SmallestLift);
        if (Goal != 0 && Screen.LaterSteps.All(step => step.Id.Value != Goal))
            ModelState.AddModelError(nameof(Goal), "Choose a goal.");
        var (chosenSettings, from) = ReadSending(chosen, null);
        AsksAboutBeside = !IsConfirmed && RunsBeside();
        if (!ModelState.IsValid || AsksAboutBeside)
            return Again();

        LoadAround();
        var ready = await ReadyAsync(chosen, main);
        var plan = Plan(chosen, weights!, chosenSettings, from) with { Main = main, Ready = ready };
        if (Screen.Checking is { } check)
            await keeper.KeepAsync(check, check.Result.Control.Page.Id, VerdictStore.ByHand);
        if (await tests.StartAsync(plan) is null)
        {
            ModelState.AddModelError(nameof(Rows), "A test was just started on this step. Reload the page.");
            return Again();
        }
        AuditTrail.Detail(HttpContext, $"{plan.Name}, {weights}");
        if (GoesLive)
            await funnels.GoLiveAsync(Screen.Funnel.Id);
        Done =
            from > Clock.Now
                ? $"The test starts {Clock.Moment(from.Value)}. Until then /go/{Screen.Place.Slug} shows "
                    + "everyone the same page."
                : $"The test is running. From now on /go/{Screen.Place.Slug} splits visitors {weights}.";
        return Redirect(Screen.Address("send"));
    }

    /// <summary>With the test, the steps of the funnel that are not live yet go live too.</summary>
    [BindProperty]
    public bool GoesLive { get; set; }

    /// <summary>The other steps of the funnel that are not live yet.</summary>
    public IReadOnlyList<Step> NotLive =>
        [.. funnels.NotLive(Screen.Funnel.Id).Where(step => step.Id != Screen.Place.Id)];

    /// <summary>The owner was told that pages and sections are tested at once, and starts all the same.</summary>
    [BindProperty]
    public bool IsConfirmed { get; set; }

    /// <summary>Asks whether whole pages and sections of them are to be tested at once.</summary>
    public bool AsksAboutBeside { get; private set; }

    private bool RunsBeside() =>
        Screen.Step.IsSection
            ? tests.ForStep(Screen.Place.Id) is [{ IsOpen: true, Check: null }, ..]
            : Screen.Sections.Any(section => tests.ForStep(section.Id) is [{ IsOpen: true, Check: null }, ..]);

    private Core.Pages.Page Page(Row row) => Screen.Pages.Single(page => page.Id.Value == row.Page);

    private TestPlan Plan(Row[] chosen, Weights weights, TestSettings settings, DateTimeOffset? from) =>
        new(
            Screen.Step.Id,
            Goal == 0 ? Screen.Step.Id : new(Goal),
            !string.IsNullOrWhiteSpace(Name)
                ? Name.Trim()
                : names.Usual(Screen.Step, Page(chosen[0]), Page(chosen[^1])),
            Idea?.Trim() ?? "",
            BaseRate!.Value / 100,
            SmallestLift / 100,
            [.. chosen.Select(row => new PageId(row.Page))],
            weights,
            settings,
            from,
            Beside: Screen.ComparedBeside
        );

    /// <summary>Looks whether the test could tell anything, with the form as it stands; nothing is started.</summary>
    [Logged("Confirmed that a step is ready")]
    public async Task<IActionResult> OnPostReadyAsync()
    {
        // How long it takes cannot be said without a rate; all else can.
        if (BaseRate is null)
            ModelState.Remove(nameof(BaseRate));
        var chosen = Chosen();
        CheckWeights(chosen);
        var main = ReadMainGoal();
        if (!ModelState.IsValid)
            return Again();
        LoadAround();
        Ready = await ReadyAsync(chosen, main);
        return Again();
    }

    /// <summary>What was found when it was looked whether a test can start.</summary>
    public IReadOnlyList<ReadyLine> Ready { get; private set; } = [];

    [Logged("Changed a running test")]
    public async Task<IActionResult> OnPostChangeAsync()
    {
        ModelState.Remove(nameof(BaseRate));
        ModelState.Remove(nameof(SmallestLift));
        if (Screen.Testing is not { } open)
            return Unchanged(AlreadyDecided);
        var test = open.Test;
        var rows = RowsOf(test);
        var weights = CheckWeights(rows);
        var (chosenSettings, from) = ReadSending(rows, test);
        if (!ModelState.IsValid)
        {
            (BaseRate, SmallestLift) = (test.ExpectedRate * 100, test.SmallestLift * 100);
            return Again();
        }
        var added = rows.Skip(test.Pages.Count).Select(row => new PageId(row.Page)).ToArray();
        var what = test
            .Settings.ChangesTo(chosenSettings)
            .Select(change => (What: Say(change), change.BeginsPhase))
            .ToList();
        var moves = from is { } start && start != test.StartedAt && test.StartedAt > Clock.Now;
        if (moves)
            what.Add(($"Starts {Clock.Moment(from!.Value)}", false));
        if (what.Count == 0 && added.Length == 0 && weights!.Equals(test.Weights))
            Done = "No changes.";
        else
        {
            await tests.ChangeAsync(test, weights!, added, chosenSettings, moves ? from : null, what);
            AuditTrail.Detail(HttpContext, string.Join(", ", what.Select(change => change.What).Prepend($"{weights}")));
            var isSplitNew = added.Length > 0 || !weights!.Equals(test.Weights);
            var beginsPhase = isSplitNew || what.Any(change => change.BeginsPhase);
            Done =
                (isSplitNew ? $"New visitors are split {weights}. " : "")
                + string.Concat(what.Select(change => change.What.TrimEnd('.') + ". "))
                + (beginsPhase ? PhaseBegan : "No new phase is needed.");
        }
        return Redirect(Screen.Address("send"));
    }

    private RedirectResult Unchanged(string why)
    {
        Done = why;
        return Redirect(Screen.Address("send"));
    }

    private const string AlreadyDecided = "The test is already decided. Nothing was changed.";

    private const string PhaseBegan =
        "Visitors already in the test keep their page, and earlier counts are kept. A new phase has started.";

    /// <summary>The pages of a running test, as the form has them, and those that it adds.</summary>
    private Row[] RowsOf(SplitTest test)
    {
        var known = test.Pages.Select(page =>
            Rows.FirstOrDefault(row => row.Page == page.Value) ?? new Row { Page = page.Value }
        );
        var added = Rows.Where(row =>
            row.In
            && Screen.Pages.Any(page => page.Id.Value == row.Page)
            && test.Pages.All(page => page.Value != row.Page)
        );
        Row[] rows = [.. known, .. added];
        foreach (var row in rows)
            row.In = true;
        return rows;
    }

    private string Say(SettingChange change) =>
        SettingsWording.Say(change, page => Format.Quoted(PageName(page.Value)), Clock.Moment);

    [Logged("Paused a test")]
    public Task<IActionResult> OnPostPauseAsync() =>
        SetPausedAsync(
            true,
            $"Paused. /go/{Screen.Place.Slug} shows everyone "
                + $"{Format.Quoted(Screen.KeptPage?.Name ?? "the control")} until you resume. Visitors who come "
                + "in between are not part of the test."
        );

    [Logged("Resumed a test")]
    public Task<IActionResult> OnPostGoOnAsync() => SetPausedAsync(false, "The test has resumed in a new phase.");

    [Logged("Changed the link of a step")]
    public async Task<IActionResult> OnPostLinkAsync()
    {
        var (carries, problem) = CarriedParameters.Check(Carries, CarryNames);
        if (carries is null)
            return Refused(nameof(CarryNames), problem!);
        await funnels.SetLinkAsync(Screen.Step.Id, carries, Redirects);
        Done = $"{Carried(carries)}; hosted pages open at {(Redirects ? "their own address" : "the link")}.";
        return Redirect(Screen.Address("send"));
    }

    /// <summary>Whether the test starts on the owner's own page, and how long that page waits.</summary>
    [Logged("Changed where visitors start")]
    public async Task<IActionResult> OnPostStartOnPageAsync()
    {
        if (StartWait is < Step.MinStartWait or > Step.MaxStartWait)
            return Refused(
                nameof(StartWait),
                $"Enter {Step.MinStartWait} to {Format.Count(Step.MaxStartWait)} milliseconds."
            );
        await funnels.SetStartAsync(Screen.Step.Id, StartsOnPage, StartWait);
        Done =
            !StartsOnPage ? "The test now starts at the link only. Remove the start code from your page."
            : StartWait == Screen.Step.StartWait || !Screen.Step.StartsOnPage
                ? "Paste the start code into your page. You can check it under Tracking script."
            : $"Your page will wait {StartWait} milliseconds once you have replaced its code with the code shown now.";
        return Redirect($"{Screen.Address("send")}#start");
    }

    /// <summary>Tries the rules as they stand in the form, saved or not.</summary>
    [Logged(null)]
    public IActionResult OnPostJudge()
    {
        ModelState.Clear();
        var audience = Who.Read(ModelState, nameof(Who));
        if (ModelState.IsValid)
        {
            var (query, traits) = (Try.Query, TryTraits(Try.Query));
            var admission = audience.Judge(traits, query);
            var why = AudienceWording.Why(admission, audience, traits);
            Judged = (
                admission.TakesPart,
                admission.TakesPart
                    ? $"Takes part: {why}."
                    : $"Does not take part: {why}. Sees "
                        + $"{(Others is { } page ? Format.Quoted(PageName(page)) : "the control")}."
            );
        }
        return Again();
    }

    [Logged(null)]
    public IActionResult OnPostTry()
    {
        ModelState.Clear();
        PageId? asked = Try.Page is { } page ? new PageId(page) : null;
        var ticket = tries.Issue(new(Screen.Step.Id, TryTraits(""), asked));
        var link = $"{Link}?{TryTickets.Parameter}={ticket}";
        TryLink = SourceTag.From(Try.Source) is { Length: > 0 } tag ? $"{link}&{SourceTag.Parameter}={tag}" : link;
        var keep = Try;
        OnGet();
        Try = keep;
        return Page();
    }

    private Traits TryTraits(string query) =>
        Try.Read(
            query,
            source =>
                sources.ForFunnel(Screen.Funnel.Id).Any(own => own.Tag == source && own.Kind == SourceKind.Affiliate),
            Settings.AffiliateParameter
        );

    private Task<IReadOnlyList<ReadyLine>> ReadyAsync(IReadOnlyList<Row> chosen, Goal? main) =>
        readiness.LookAsync(
            Screen,
            [.. chosen.Select(row => Screen.Pages.First(page => page.Id.Value == row.Page))],
            Screen.Steps.FirstOrDefault(step => step.Id.Value == Goal),
            main,
            Ahead.Plan,
            HttpContext.RequestAborted
        );

    private async Task<IActionResult> SetPausedAsync(bool paused, string done)
    {
        if (Screen.Testing is not { } open)
            Done = AlreadyDecided;
        else if (await tests.PauseAsync(open.Test.Id, paused))
        {
            Done = done;
        }
        return Redirect(Screen.Address("send"));
    }

    private void FillLink() =>
        (Carries, CarryNames, Redirects) = (
            Screen.Step.Carries.Kind,
            string.Join(", ", Screen.Step.Carries.Names),
            Screen.Step.Redirects
        );

    private void FillStart() => (StartsOnPage, StartWait) = (Screen.Step.StartsOnPage, Screen.Step.StartWait);

    /// <summary>
    /// Shows the screen again with what was typed in one of the small forms, and the rest as it is stored.
    /// </summary>
    private IActionResult Refused(string field, string problem)
    {
        if (field == nameof(StartWait))
            FillLink();
        else
            FillStart();
        ModelState.Clear();
        if (Screen.Testing is { } open)
            FillFrom(open.Test);
        else
            FillAnew();
        ModelState.AddModelError(field, problem);
        LoadAround();
        return Page();
    }

    private static string Carried(CarriedParameters carries) =>
        carries.Kind switch
        {
            CarryKind.All => "All link parameters are passed on",
            CarryKind.Except => $"Link parameters are passed on, but not {string.Join(", ", carries.Names)}",
            CarryKind.Only => $"Of the link’s parameters, only {string.Join(", ", carries.Names)} are passed on",
            _ => "Link parameters are not passed on",
        };

    private IActionResult Again()
    {
        Who.WithRoom();
        // Pages that were not sent along are still there to choose.
        Rows =
        [
            .. Rows,
            .. Screen
                .Pages.Where(page => Rows.All(row => row.Page != page.Id.Value))
                .Select(page => new Row { Page = page.Id.Value, Weight = 0 }),
        ];
        LoadAround();
        return Page();
    }

    private void LoadAround()
    {
        VisitorsPerDay = tallies.VisitorsPerDay(Screen.Place.Id);
        Sources = sources.Lines(Screen.Funnel.Id, Settings.Currency);
        Looks = watch.All();
        LeftOut = tallies.LeftOut(Screen.Place.Id);
        Changes = Screen.Testing is { } open ? ChangeLog.Summarize(tests.Changes(open.Test.Id)) : [];
        var weights = Weights.Check([.. Rows.Where(row => row.In).Select(row => row.Weight ?? 0)]).Weights
            ?? Weights.Even(Math.Max(2, Rows.Count(row => row.In)));
        Ahead = upcoming.For(
            Screen,
            weights,
            new()
            {
                Allocation = Allocation,
                Floor = Floor,
                Share = Share,
                BaseRate = BaseRate ?? 0,
                SmallestLift = SmallestLift,
                FewerIsBetter = FewerIsBetter,
            },
            VisitorsPerDay
        );
    }

    /// <summary>What counts is better the less it happens.</summary>
    public bool FewerIsBetter =>
        Screen.Testing is { } open ? open.Main is { Goal.LessIsBetter: true } : Goal == 0 && MainGoal.LessIsBetter;
}
