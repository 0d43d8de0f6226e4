using System.ComponentModel.DataAnnotations;
using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Wexil.Core.Evidence;
using Wexil.Core.Funnels;
using Wexil.Core.Splits;
using Wexil.Store;
using Wexil.Web.Shared;
using Wexil.Web.Shared.Reading;
using Wexil.Web.Studio.Goals;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Send;

/// <summary>The link, and how its visitors are split.</summary>
public sealed class SendModel(
    StepScreens screens, TestStore tests, TallyStore tallies, FunnelStore funnels, SourceStore sources, WatchStore watch, SettingStore settings, VisitorsAddress visitors, Routes routes,
    TryTickets tries, LastSeen seen, Upcoming upcoming, Readiness readiness, OwnerTime clock) : StepPageModel(screens)
{
    public const int MostPages = 10;

    /// <summary>A page as it stands in the form.</summary>
    public sealed class Row
    {
        public long Page { get; set; }
        public bool In { get; set; }
        public int? Weight { get; set; }
        public bool Closed { get; set; }
    }

    /// <summary>As whom the owner tries a link or the rules.</summary>
    public sealed class TryForm
    {
        public string? Address { get; set; }
        public Device Device { get; set; }
        public string? Country { get; set; }
        public string? Language { get; set; }
        public bool Returning { get; set; }
        public string? Source { get; set; }
        public long? Page { get; set; }
    }

    public override string Stage => "send";

    public string Link => visitors.Link(Screen.Step.Slug);

    public double VisitorsPerDay { get; private set; }

    public DateTimeOffset Now => clock.Now;

    public IReadOnlyList<SourceLine> Sources { get; private set; } = [];

    public IReadOnlyDictionary<PageId, PageLook> Looks { get; private set; } = new Dictionary<PageId, PageLook>();

    public IReadOnlyList<TestChange> Changes { get; private set; } = [];

    public IReadOnlyDictionary<LeftOut, long> LeftOut { get; private set; } = new Dictionary<LeftOut, long>();

    public Currency Currency => settings.Currency;

    public bool IsAffiliated => Sources.Any(line => line.Source?.Kind == SourceKind.Affiliate);

    public Ahead Ahead { get; private set; } = null!;

    /// <summary>What trying the rules said.</summary>
    public (bool Runs, string Words)? Judged { get; private set; }

    public string? TryLink { get; private set; }

    /// <summary>What is pasted into an outside control page; null where the control is hosted here.</summary>
    public string? Loader => Screen.Open is { Pages: [{ Outside: { } control }, ..] } ? StartLoader.For(Screen.Step.Slug, visitors.Origin, control) : null;

    public DateTimeOffset? LoaderAsked => seen.LastStart(Screen.Step.Slug);

    [BindProperty]
    public List<Row> Rows { get; set; } = [];

    [BindProperty]
    public long Control { get; set; }

    [BindProperty]
    [MaxLength(80, ErrorMessage = "At most 80 characters.")]
    public string? Name { get; set; }

    [BindProperty]
    [MaxLength(400, ErrorMessage = "At most 400 characters.")]
    public string? Idea { get; set; }

    [BindProperty]
    public long Goal { get; set; }

    /// <summary>What counts where no later step is chosen.</summary>
    [BindProperty(Name = nameof(MainGoal))]
    public GoalForm MainGoal { get; set; } = new();

    [BindProperty]
    [Range(0.01, 99, ErrorMessage = "A percentage from 0.01 to 99.")]
    public double BaseRate { get; set; }

    [BindProperty]
    [Range(1, 500, ErrorMessage = "A percentage from 1 to 500.")]
    public double SmallestLift { get; set; } = 20;

    [BindProperty]
    public TurnTaking Turns { get; set; }

    /// <summary>The least that a page gets while weights follow the evidence, in percent.</summary>
    [BindProperty]
    [Range(1, 50, ErrorMessage = "A whole percentage from 1 to 50.")]
    public int Floor { get; set; } = Leaning.UsualFloor;

    [BindProperty]
    [Range(1, 100, ErrorMessage = "A whole percentage from 1 to 100.")]
    public int Share { get; set; } = 100;

    // With a name of their own these are never filled from what belongs to others.
    [BindProperty(Name = nameof(Who))]
    public AudienceForm Who { get; set; } = new();

    [BindProperty]
    public long? Others { get; set; }

    [BindProperty]
    public string? From { get; set; }

    [BindProperty]
    public string? Until { get; set; }

    [BindProperty]
    public bool RestsFailing { get; set; }

    [BindProperty]
    public bool CarriesQuery { get; set; }

    [BindProperty]
    public bool Redirects { get; set; }

    [BindProperty(Name = nameof(Try))]
    public TryForm Try { get; set; } = new();

    public string PageName(long page) => Screen.Pages.FirstOrDefault(p => p.Id.Value == page)?.Name ?? "a page put away";

    public void OnGet()
    {
        (CarriesQuery, Redirects) = (Screen.Step.CarriesQuery, Screen.Step.Redirects);
        if (Screen.Open is { } open) FillFrom(open.Test);
        else FillAnew();
        LoadAround();
    }

    /// <summary>What lies ahead with the settings as they stand in the form; for the screen to follow them.</summary>
    public IActionResult OnGetAhead(string weights, TurnTaking turns, int share, double baseRate, double smallestLift)
    {
        var parts = (weights ?? "").Split('/').Select(part => int.TryParse(part, NumberStyles.None, CultureInfo.InvariantCulture, out var weight) ? weight : -1).ToArray();
        var (checkedWeights, _) = Weights.Check(parts);
        VisitorsPerDay = tallies.VisitorsPerDay(Screen.Step.Id);
        return new JsonResult(checkedWeights is null ? null : upcoming.Of(Screen, checkedWeights, turns, Math.Clamp(share, 1, 100), baseRate, smallestLift, VisitorsPerDay));
    }

    public async Task<IActionResult> OnPostStartAsync()
    {
        if (Screen.IsOpen) return Redirect(Screen.Address("send"));
        var chosen = Rows.Where(row => row.In && Screen.Pages.Any(page => page.Id.Value == row.Page)).OrderBy(row => row.Page != Control).ToArray();
        var weights = CheckWeights(chosen);
        if (chosen.Length > 0 && chosen[0].Page != Control) ModelState.AddModelError(nameof(Control), "The control is one of the pages in the test.");
        var main = Goal == 0 ? MainGoal.Read(ModelState, nameof(MainGoal), Screen, Currency) : null;
        if (Goal != 0 && Screen.LaterSteps.All(step => step.Id.Value != Goal)) ModelState.AddModelError(nameof(Goal), "Choose the step that counts as a conversion.");
        var (sending, from) = ReadSending(chosen, null);
        if (!ModelState.IsValid) return Again();

        LoadAround();
        var ready = await ReadyAsync(chosen, main);
        var name = string.IsNullOrWhiteSpace(Name) ? PageName(chosen[^1].Page) : Name.Trim();
        var plan = new TestPlan(
            Screen.Step.Id, Goal == 0 ? Screen.Step.Id : new(Goal), name, Idea?.Trim() ?? "", BaseRate / 100, SmallestLift / 100, [.. chosen.Select(row => new PageId(row.Page))], weights!, sending, from, main, ready);
        if (await tests.StartAsync(plan) is null)
        {
            ModelState.AddModelError(nameof(Rows), "A test was started on this step a moment ago. Load the page again.");
            return Again();
        }
        routes.Reload();
        Done = from > clock.Now ? $"The test starts {clock.Moment(from.Value)}. Until then /go/{Screen.Step.Slug} shows everybody the same page." : $"The test runs. From now on /go/{Screen.Step.Slug} splits its visitors {weights}.";
        return Redirect(Screen.Address("send"));
    }

    /// <summary>Looks whether the test could tell anything, with the form as it stands; nothing is started.</summary>
    public async Task<IActionResult> OnPostReadyAsync()
    {
        var chosen = Rows.Where(row => row.In && Screen.Pages.Any(page => page.Id.Value == row.Page)).OrderBy(row => row.Page != Control).ToArray();
        CheckWeights(chosen);
        var main = Goal == 0 ? MainGoal.Read(ModelState, nameof(MainGoal), Screen, Currency) : null;
        if (!ModelState.IsValid) return Again();
        LoadAround();
        Ready = await ReadyAsync(chosen, main);
        return Again();
    }

    /// <summary>What was found when it was looked whether a test can start.</summary>
    public IReadOnlyList<ReadyLine> Ready { get; private set; } = [];

    public async Task<IActionResult> OnPostChangeAsync()
    {
        ModelState.Remove(nameof(BaseRate));
        ModelState.Remove(nameof(SmallestLift));
        if (Screen.Open is not { } open) return Redirect(Screen.Address("send"));
        var test = open.Test;
        var rows = test.Pages.Select(page => Rows.FirstOrDefault(row => row.Page == page.Value) ?? new Row { Page = page.Value })
            .Concat(Rows.Where(row => row.In && Screen.Pages.Any(page => page.Id.Value == row.Page) && test.Pages.All(page => page.Value != row.Page))).ToArray();
        foreach (var row in rows) row.In = true;
        var weights = CheckWeights(rows);
        var (sending, from) = ReadSending(rows, test);
        if (!ModelState.IsValid)
        {
            (BaseRate, SmallestLift) = (test.BaseRate * 100, test.SmallestLift * 100);
            return Again();
        }
        var added = rows.Skip(test.Pages.Count).Select(row => new PageId(row.Page)).ToArray();
        var what = test.Sending.ChangesTo(sending, page => Show.Quoted(PageName(page.Value)), clock.Moment).ToList();
        var moves = from is { } start && start != test.StartedAt && test.StartedAt > clock.Now;
        if (moves) what.Add(($"Starts {clock.Moment(from!.Value)}", false));
        if (what.Count == 0 && added.Length == 0 && weights!.Equals(test.Weights)) Done = "Nothing was changed.";
        else
        {
            await tests.ChangeAsync(test, weights!, added, sending, moves ? from : null, what);
            routes.Reload();
            var phase = added.Length > 0 || !weights!.Equals(test.Weights) || what.Any(change => change.BeginsPhase);
            Done = (weights!.Equals(test.Weights) && added.Length == 0 ? "" : $"New visitors are split {weights}. ") + string.Concat(what.Select(change => change.What.TrimEnd('.') + ". "))
                + (phase ? "Everyone enrolled before stays on their page, and the counts so far stay: a new phase has begun." : "No new phase was needed.");
        }
        return Redirect(Screen.Address("send"));
    }

    public Task<IActionResult> OnPostPauseAsync() => SetPausedAsync(true, $"Paused. /go/{Screen.Step.Slug} shows everybody {Show.Quoted(Screen.KeptPage?.Name ?? "the control")} until you go on; who comes meanwhile stays out of the test.");

    public Task<IActionResult> OnPostGoOnAsync() => SetPausedAsync(false, "The test goes on, in a new phase.");

    public async Task<IActionResult> OnPostLinkAsync()
    {
        await funnels.SetLinkAsync(Screen.Step.Id, CarriesQuery, Redirects);
        routes.Reload();
        Done = (CarriesQuery ? "Parameters of the link travel on to the page" : "Parameters of the link stop at the link") + (Redirects ? ", and hosted pages are shown at their own address." : ", and hosted pages are shown at the link itself.");
        return Redirect(Screen.Address("send"));
    }

    /// <summary>Tries the rules as they stand in the form, saved or not.</summary>
    public IActionResult OnPostJudge()
    {
        ModelState.Clear();
        var audience = Who.Read(ModelState, nameof(Who));
        if (ModelState.IsValid)
        {
            var query = Try.Address is { Length: > 0 } address && address.IndexOf('?') is >= 0 and var at ? address[at..].Split('#')[0] : "";
            var (takesPart, why) = audience.Judge(TryTraits(query), query);
            Judged = (takesPart, takesPart ? $"Takes part: {why}." : $"Does not take part: {why}. Sees {(Others is { } page ? Show.Quoted(PageName(page)) : "the control")}.");
        }
        return Again();
    }

    public IActionResult OnPostTry()
    {
        ModelState.Clear();
        var link = $"{Link}?{TryTickets.Parameter}={tries.Issue(new(Screen.Step.Id, TryTraits(""), Try.Page is { } page ? new PageId(page) : null))}";
        TryLink = SourceTag.From(Try.Source) is { Length: > 0 } tag ? $"{link}&{SourceTag.Parameter}={tag}" : link;
        var keep = Try;
        OnGet();
        Try = keep;
        return Page();
    }

    private Traits TryTraits(string query)
    {
        var source = SourceTag.From(Try.Source ?? AddressQuery.Value(query, SourceTag.Parameter) ?? AddressQuery.Value(query, "utm_source"));
        return new(
            Try.Device, Names.IsCountry(Try.Country ?? "") ? Try.Country!.ToUpperInvariant() : "", Names.IsLanguage(Try.Language ?? "") ? Try.Language!.ToLowerInvariant() : "", Try.Returning, source,
            sources.Of(Screen.Funnel.Id).Any(known => known.Tag == source && known.Kind == SourceKind.Affiliate) || AddressQuery.Value(query, settings.AffiliateParameter) is not null);
    }

    private Task<IReadOnlyList<ReadyLine>> ReadyAsync(IReadOnlyList<Row> chosen, Core.Goals.Goal? main) => readiness.LookAsync(
        Screen, [.. chosen.Select(row => Screen.Pages.First(page => page.Id.Value == row.Page))], Screen.Steps.FirstOrDefault(step => step.Id.Value == Goal), main, Ahead.Plan, HttpContext.RequestAborted);

    private async Task<IActionResult> SetPausedAsync(bool paused, string done)
    {
        if (Screen.Open is { } open && await tests.PauseAsync(open.Test.Id, paused))
        {
            routes.Reload();
            Done = done;
        }
        return Redirect(Screen.Address("send"));
    }

    private (Sending Sending, DateTimeOffset? From) ReadSending(IReadOnlyList<Row> rows, SplitTest? test)
    {
        var audience = Who.Read(ModelState, nameof(Who));
        var (from, fromProblem) = LocalMoment.Parse(From, settings.Zone);
        var (until, untilProblem) = LocalMoment.Parse(Until, settings.Zone);
        if (fromProblem is not null) ModelState.AddModelError(nameof(From), fromProblem);
        if (untilProblem is not null) ModelState.AddModelError(nameof(Until), untilProblem);
        // The form knows minutes; an end that was not touched stays as it was.
        if (test?.Sending.Until is { } before && until is { } same && (before - same).Duration() < TimeSpan.FromMinutes(1)) until = before;
        if (test is not null && from is { } start && (test.StartedAt - start).Duration() < TimeSpan.FromMinutes(1)) from = test.StartedAt;
        if (until is { } end && until != test?.Sending.Until && end <= clock.Now) ModelState.AddModelError(nameof(Until), "This has passed already.");
        if (until is { } last && last <= (from ?? test?.StartedAt ?? clock.Now)) ModelState.AddModelError(nameof(Until), "The end comes after the start.");
        if (Others is { } others && Screen.Pages.All(page => page.Id.Value != others)) ModelState.AddModelError(nameof(Others), "Choose a page of this step.");
        PageId[] closed = [.. rows.Where(row => row.Closed).Select(row => new PageId(row.Page))];
        if (closed.Length > 0 && closed.Length == rows.Count) ModelState.AddModelError(nameof(Rows), "Leave one page open to affiliates: their visitors must see something.");
        return (new(Turns, Share, audience, Others is { } page ? new PageId(page) : null, closed, RestsFailing, until) { Floor = Floor }, from);
    }

    private void FillFrom(SplitTest test)
    {
        Rows = [
            .. test.Pages.Select((page, i) => new Row { Page = page.Value, In = true, Weight = test.Weights[i], Closed = test.Sending.Closed.Contains(page) }),
            .. Screen.Pages.Where(page => !test.Pages.Contains(page.Id)).Select(page => new Row { Page = page.Id.Value, Weight = 0 })];
        (Turns, Floor, Share, Others, RestsFailing) = (test.Sending.Turns, test.Sending.Floor, test.Sending.Share, test.Sending.Others?.Value, test.Sending.RestsFailing);
        (BaseRate, SmallestLift) = (test.BaseRate * 100, test.SmallestLift * 100);
        Who = AudienceForm.Of(test.Sending.Audience);
        From = LocalMoment.Write(test.StartedAt, settings.Zone);
        Until = test.Sending.Until is { } until ? LocalMoment.Write(until, settings.Zone) : null;
    }

    private void FillAnew()
    {
        var chosen = Screen.Pages.OrderBy(page => page.Id != Screen.Step.Page).ThenBy(page => page.Id.Value).ToArray();
        // The page shown now against the newest: what was cloned last is what somebody wants to try.
        var newest = chosen.Skip(1).LastOrDefault();
        Rows = [.. chosen.Select((page, i) => new Row { Page = page.Id.Value, In = i == 0 || page == newest, Weight = i == 0 || page == newest ? 50 : 0 })];
        Control = chosen.FirstOrDefault()?.Id.Value ?? 0;
        Goal = Screen.LaterSteps.FirstOrDefault()?.Id.Value ?? 0;
        BaseRate = Math.Round(UsualRate() * 100, 1);
        Who = AudienceForm.Of(Audience.Everyone);
    }

    private IActionResult Again()
    {
        Who.WithRoom();
        // Pages that were not sent along are still there to choose.
        Rows = [.. Rows, .. Screen.Pages.Where(page => Rows.All(row => row.Page != page.Id.Value)).Select(page => new Row { Page = page.Id.Value, Weight = 0 })];
        LoadAround();
        return Page();
    }

    private void LoadAround()
    {
        VisitorsPerDay = tallies.VisitorsPerDay(Screen.Step.Id);
        Sources = sources.Lines(Screen.Funnel.Id, settings.Currency);
        Looks = watch.All();
        LeftOut = tallies.LeftOut(Screen.Step.Id);
        Changes = Screen.Open is { } open ? ChangeLog.Of(tests.Changes(open.Test.Id)) : [];
        var weights = Weights.Check([.. Rows.Where(row => row.In).Select(row => row.Weight ?? 0)]).Weights ?? Weights.Even(Math.Max(2, Rows.Count(row => row.In)));
        Ahead = upcoming.Of(Screen, weights, Turns, Math.Clamp(Share, 1, 100), BaseRate, SmallestLift, VisitorsPerDay);
    }

    private Weights? CheckWeights(IReadOnlyList<Row> rows)
    {
        if (rows.Count > MostPages) ModelState.AddModelError(nameof(Rows), $"At most {MostPages} pages in one test.");
        var (weights, problem) = Weights.Check([.. rows.Select(row => row.Weight ?? 0)]);
        if (problem is not null) ModelState.AddModelError(nameof(Rows), problem);
        return weights;
    }

    private double UsualRate()
    {
        if (Screen.LaterSteps.FirstOrDefault() is { } next && Screen.Visitors.GetValueOrDefault(Screen.Step.Id) is > 200 and var visitors
            && Screen.Visitors.GetValueOrDefault(next.Id) is > 0 and var onward && onward < visitors) return (double)onward / visitors;
        return Screen.Step.Kind switch { StepKind.OptIn => 0.25, StepKind.Sales => 0.03, StepKind.Upsell or StepKind.Downsell => 0.15, _ => 0.1 };
    }
}
