using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.Extensions.Caching.Memory;
using Wexil.App;
using Wexil.App.Drafts;
using Wexil.App.Tickets;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Pages.Differences;
using Wexil.Pages.Serving;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>A page looked at as a whole.</summary>
/// <param name="Changes">What differs from the page it was cloned from; null when there is none.</param>
public sealed record PageReview(PageChanges? Changes, WiringReport Wiring);

/// <summary>What the screens of one page need to read.</summary>
public sealed class PageContext(
    PageStore pages,
    DraftStore drafts,
    PreviewTickets tickets,
    VisitorsAddress visitors,
    FunnelStore funnels,
    SectionWriter sections
) : IDisposable
{
    private readonly MemoryCache _reviews = new(new MemoryCacheOptions { SizeLimit = 500 });

    public PageStore Pages => pages;

    public DraftStore Drafts => drafts;

    public FunnelStore Funnels => funnels;

    public SectionWriter Sections => sections;

    /// <summary>Where a frame is shown a page.</summary>
    public string Frame(Page page, PreviewUse use, int? version = null) =>
        $"{visitors.Origin}/draft/{tickets.Issue(page.Id, use, version)}";

    /// <summary>Where a file is to be seen, by the hash of what it holds.</summary>
    public string Asset(string hash, string path) =>
        $"{visitors.Origin}/a/{hash}/{Uri.EscapeDataString(path.Split('/')[^1])}";

    /// <summary>
    /// What a page as it stands differs in from the page it was cloned from (as visitors see that one), and how it is
    /// wired. Worked out once for each state of both.
    /// </summary>
    public PageReview Review(Page page, StepScreen screen)
    {
        string[] tills =
        [
            .. RouteStore.Tills(screen.Steps, step => Pages.ForStep(step.Id).Select(other => other.Outside)),
        ];
        var parent = page.Parent is { } id && Pages.Find(id) is { IsHosted: true } found ? found : null;
        var key = string.Join(
            '\n',
            [
                Drafts.Hash(page),
                $"{page.Id.Value} {page.Revision} {parent?.Id.Value} {parent?.Revision} {screen.Place.Slug} "
                    + $"{screen.Step.Kind}",
                .. tills,
            ]
        );
        if (_reviews.TryGetValue(key, out PageReview? known))
            return known!;
        var source = Drafts.For(page).Source;
        var changes = parent is null
            ? null
            : PageDifferences.Between(
                Pages.Source(parent),
                source,
                FilesThatDiffer(
                    Pages.Hashes(parent.Id, parent.Revision),
                    parent.Entry!,
                    Pages.Hashes(page.Id, page.Revision, withDraft: true),
                    page.Entry!
                )
            );
        StepKind? kind = screen.Step.IsSection ? null : screen.Step.Kind;
        var wiring = Wiring.Check(source, new(page.Slug, screen.Place.Slug, visitors.Origin, tills), kind);
        return _reviews.Set(key, new PageReview(changes, wiring), new MemoryCacheEntryOptions { Size = 1 });
    }

    public void Dispose() => _reviews.Dispose();

    /// <summary>
    /// Files that both pages have under one name, holding something else. What one page has more is seen where it is
    /// used.
    /// </summary>
    public static IEnumerable<string> FilesThatDiffer(
        IReadOnlyDictionary<string, string> before,
        string entryBefore,
        IReadOnlyDictionary<string, string> after,
        string entryAfter
    ) =>
        before
            .Where(file =>
                file.Key != entryBefore
                && file.Key != entryAfter
                && after.TryGetValue(file.Key, out var hash)
                && hash != file.Value
            )
            .Select(file => file.Key);
}

/// <summary>A screen of one page of a step.</summary>
public abstract class PageScreenModel(StepScreens screens, PageContext context) : StepPageModel(screens)
{
    protected PageContext Context => context;

    public override string Stage => "build";

    public Page Shown { get; private set; } = null!;

    /// <summary>The page is in a running test, so publishing a change of it starts a phase.</summary>
    public bool IsTested => Screen.Open?.Test.Pages.Contains(Shown.Id) == true;

    /// <summary>Publishing the draft changes what visitors of a running test see, and begins a phase.</summary>
    public bool BeginsPhase => IsTested && !(Shown.HasDraft && Context.Sections.LooksTheSame(Shown, Screen.Funnel.Id));

    /// <summary>
    /// The step shows no page yet, so visitors see none of its pages. Whoever publishes one says that it is live; a
    /// clone waits for a test.
    /// </summary>
    public bool GoesLive => Screen.IsNotLive && Shown.Parent is null;

    /// <summary>Makes the page live where its step shows none.</summary>
    /// <returns>It was not live before.</returns>
    protected async Task<bool> GoLiveAsync() => GoesLive && await context.Pages.ShowAsync(Shown);

    public Page? Parent => Shown.Parent is { } parent ? context.Pages.Find(parent) : null;

    /// <summary>The address of a screen of this page.</summary>
    public string Own(string screen = "") =>
        Screen.Address($"build/{Shown.Slug}{(screen.Length == 0 ? "" : "/" + screen)}");

    public override void OnPageHandlerExecuting(PageHandlerExecutingContext context)
    {
        base.OnPageHandlerExecuting(context);
        if (context.Result is not null)
            return;
        Shown = Screen.Pages.FirstOrDefault(page => page.Slug == (string)RouteData.Values["version"]!)!;
        if (Shown is null)
            context.Result = NotFound();
    }
}
