using Microsoft.AspNetCore.Mvc.Filters;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.Pages.Changes;
using Wexil.Store;
using Wexil.Web.Shared;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>What the screens of one page need to read.</summary>
public sealed record PageDesk(PageStore Pages, DraftStore Drafts, PreviewTickets Tickets, VisitorsAddress Visitors, Routes Routes, FunnelStore Funnels)
{
    /// <summary>Where a frame is shown a page.</summary>
    public string Frame(Page page, PreviewUse use, int? version = null) => $"{Visitors.Origin}/draft/{Tickets.Issue(page.Id, use, version)}";

    /// <summary>Where a file is to be seen, by the hash of what it holds.</summary>
    public string Asset(string hash, string path) => $"{Visitors.Origin}/a/{hash}/{Uri.EscapeDataString(path.Split('/')[^1])}";

    /// <summary>How a page's forms and buttons are wired, as its draft stands.</summary>
    public WiringReport Wiring(Page page, StepScreen screen, string source) =>
        Core.Pages.Wiring.Check(source, new(page.Slug, screen.Step.Slug, Visitors.Origin, [.. RouteStore.Tills(screen.Steps, step => Pages.Of(step.Id).Select(other => other.Outside))]), screen.Step.Kind);

    /// <summary>What differs between a page as it stands and the page it was cloned from, as visitors see that; null without a hosted parent.</summary>
    public PageChanges? FromParent(Page page, string source)
    {
        if (!page.IsHosted || page.Parent is not { } id || Pages.Find(id) is not { IsHosted: true } parent) return null;
        return Differences.Between(Pages.Source(parent), source, FilesThatDiffer(Pages.Hashes(parent.Id, parent.Revision), parent.Entry!, Pages.Hashes(page.Id, page.Revision), page.Entry!));
    }

    /// <summary>Files that both pages have under one name, holding something else. What one page has more is seen where it is used.</summary>
    public static IEnumerable<string> FilesThatDiffer(IReadOnlyDictionary<string, string> before, string entryBefore, IReadOnlyDictionary<string, string> after, string entryAfter) =>
        before.Where(file => file.Key != entryBefore && file.Key != entryAfter && after.TryGetValue(file.Key, out var hash) && hash != file.Value).Select(file => file.Key);
}

/// <summary>A screen of one page of a step.</summary>
public abstract class PageScreenModel(StepScreens screens, PageDesk desk) : StepPageModel(screens)
{
    protected PageDesk Desk => desk;

    public override string Stage => "build";

    public Page Shown { get; private set; } = null!;

    /// <summary>The page is in a running test, so publishing a change of it starts a phase.</summary>
    public bool IsTested => Screen.Running?.Test.Pages.Contains(Shown.Id) == true;

    public Page? Parent => Shown.Parent is { } parent ? desk.Pages.Find(parent) : null;

    /// <summary>The address of a screen of this page.</summary>
    public string Own(string screen = "") => Screen.Address($"build/{Shown.Slug}{(screen.Length == 0 ? "" : "/" + screen)}");

    public override void OnPageHandlerExecuting(PageHandlerExecutingContext context)
    {
        base.OnPageHandlerExecuting(context);
        if (context.Result is not null) return;
        Shown = Screen.Pages.FirstOrDefault(page => page.Slug == (string)RouteData.Values["version"]!)!;
        if (Shown is null) context.Result = NotFound();
    }

    protected void Reload() => Shown = desk.Pages.Find(Shown.Id)!;
}
