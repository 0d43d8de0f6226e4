using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App;
using Wexil.App.Importing;
using Wexil.App.Setup;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Pages.Editing;
using Wexil.Pages.Serving;
using Wexil.Pages.Starters;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Build;
using Wexil.Web.Studio.Funnels;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Start;

/// <summary>How the page to test comes in.</summary>
public enum PageSourceKind
{
    /// <summary>It is on the web already, and a copy is fetched.</summary>
    Address,

    /// <summary>It is a file.</summary>
    File,

    /// <summary>There is none yet; a starter page takes its place.</summary>
    Starter,
}

/// <summary>From an empty Wexil to a first test, a question at a time.</summary>
[UploadLimit(80)]
public sealed class FirstTestModel(
    FirstTestGuide guide,
    ConversionPath path,
    Imports imports,
    PageStore pages,
    FunnelStore funnels,
    SettingStore settings,
    VisitorsAddress visitors
) : PageModel
{
    private const int MaxNameLength = 80;

    public FirstTestState State { get; private set; } = null!;

    [BindProperty]
    public string? Name { get; set; }

    [BindProperty]
    public bool IsSales { get; set; }

    [BindProperty]
    public PageSourceKind From { get; set; }

    [BindProperty]
    public string? Address { get; set; }

    [BindProperty]
    public IFormFile? Upload { get; set; }

    /// <summary>What the starter pages are filled in with.</summary>
    [BindProperty]
    public OfferForm Offer { get; set; } = new();

    /// <summary>The headline of the second page.</summary>
    [BindProperty]
    public string? Words { get; set; }

    /// <summary>The headline of the first page; null where it has none.</summary>
    public Headline? Headline =>
        State.Control is { IsHosted: true } control ? Headline.Of(pages.Source(control)) : null;

    /// <summary>The step of the test that was started, with its funnel.</summary>
    public (Funnel Funnel, Step Step)? Tested =>
        State.Test is { } test && funnels.AllSteps().FirstOrDefault(step => step.Id == test.Step) is { } step
            ? (funnels.Every()[step.Funnel], step)
            : null;

    /// <summary>What keeps visitors of the two pages from converting.</summary>
    public IReadOnlyList<PathGap> Gaps =>
        State is { Stage: FirstTestStage.Start, Step: { } step, Goal: { } goal, Pages: [var first, .., var last] }
            ? path.Gaps(step, [first, last], goal)
            : [];

    /// <summary>The owner starts although visitors cannot convert.</summary>
    [BindProperty]
    public bool Anyway { get; set; }

    /// <summary>Where a gap is closed.</summary>
    public string RepairAddress(PathGap gap) =>
        $"/f/{State.Funnel!.Slug}/{gap.Step.Slug}/build" + (gap.Page is { } page ? $"/{page.Slug}" : "");

    public string Link(Step step) => visitors.Link(step.Slug);

    public string BuildAddress => $"/f/{State.Funnel!.Slug}/{State.Step!.Slug}/build";

    public override void OnPageHandlerExecuting(PageHandlerExecutingContext context) => State = guide.State();

    public void OnGet() => Offer = OfferForm.From(settings);

    /// <summary>Makes the funnel, with the page where it is here at once.</summary>
    [Logged("Created a funnel")]
    public async Task<IActionResult> OnPostFunnelAsync()
    {
        if (State.Stage != FirstTestStage.Funnel)
            return Redirect("/first-test");
        if (Name?.Trim() is not { Length: > 0 and <= MaxNameLength } name)
        {
            ModelState.AddModelError(nameof(Name), $"Enter what you offer, in up to {MaxNameLength} characters.");
            name = "";
        }
        var offer = Offer.Read(name, ModelState, nameof(Offer), settings);
        var (page, address) = await ReadPageAsync(offer, IsSales);
        if (!ModelState.IsValid)
            return Page();
        await OfferForm.KeepLookAsync(offer, settings);
        var (funnel, step) = await guide.CreateAsync(offer, IsSales, page);
        return address is null ? Redirect("/first-test") : Fetch(funnel, step, address);
    }

    /// <summary>Adds the page to a funnel that has none.</summary>
    [Logged("Added a page")]
    public async Task<IActionResult> OnPostPageAsync()
    {
        if (State.Stage != FirstTestStage.Page)
            return Redirect("/first-test");
        var offer = Offer.Read(State.Funnel!.Name, ModelState, nameof(Offer), settings);
        var (page, address) = await ReadPageAsync(offer, State.Step!.Kind == StepKind.Sales);
        if (!ModelState.IsValid)
            return Page();
        await OfferForm.KeepLookAsync(offer, settings);
        if (address is not null)
            return Fetch(State.Funnel!, State.Step, address);
        await pages.AddAsync(State.Step.Id, page!.Name, page.Bundle!, isLive: false);
        return Redirect("/first-test");
    }

    /// <summary>Adds the second page: the first with another headline.</summary>
    [Logged("Added a second page")]
    public async Task<IActionResult> OnPostSecondAsync()
    {
        if (State.Stage != FirstTestStage.SecondPage)
            return Redirect("/first-test");
        var words = Words?.Trim() ?? "";
        if (words.Length is 0 or > 400)
            ModelState.AddModelError(nameof(Words), "Enter a headline of up to 400 characters.");
        else if (words == Headline?.Words)
            ModelState.AddModelError(nameof(Words), "This is the headline of the first page. Enter another one.");
        else if (await guide.AddHeadlineAsync(State, words) is null)
            ModelState.AddModelError(nameof(Words), "This headline can only be changed in the editor.");
        return ModelState.IsValid ? Redirect("/first-test") : Page();
    }

    [Logged("Started a test")]
    public async Task<IActionResult> OnPostStartAsync()
    {
        if (State.Stage == FirstTestStage.Start && (Anyway || Gaps.Count == 0))
            await guide.StartAsync(State);
        return Redirect("/first-test");
    }

    private async Task<(FunnelPage? Page, Uri? Address)> ReadPageAsync(Offer offer, bool isSales)
    {
        if (From == PageSourceKind.Starter)
            return (FirstTestGuide.StarterPage(offer, isSales), null);
        if (From == PageSourceKind.Address)
        {
            var (address, wrong) = OutsideAddress.Check(Address);
            if (address is null)
                ModelState.AddModelError(nameof(Address), wrong!);
            return (null, address);
        }
        var (bundle, problem) = await UploadedPage.ReadAsync(Upload);
        if (bundle is null)
        {
            ModelState.AddModelError(nameof(Upload), problem!);
            return (null, null);
        }
        var title = HostedHtml.Title(bundle.Source(bundle.Entry)) ?? "Page";
        return (new(title.Length > 120 ? title[..120] : title, bundle, null), null);
    }

    private RedirectResult Fetch(Funnel funnel, Step step, Uri address) =>
        Redirect($"/f/{funnel.Slug}/{step.Slug}/build/import/{imports.Start(step.Id, null, address).Id}");
}
