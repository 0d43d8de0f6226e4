using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Core.Funnels;
using Wexil.Store;
using Wexil.Web.Shared;
using Wexil.Web.Shared.Reading;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.SiteWiring;

/// <summary>What has to be pasted into a funnel's outside pages, whether it was, and links for who looks after the site.</summary>
public sealed class WiringModel(FunnelStore funnels, WiringDesk desk, WiringStore wiring, VisitorsAddress visitors, OwnerTime clock) : PageModel
{
    public Funnel Funnel { get; private set; } = null!;

    public IReadOnlyList<WiredPage> Pages => desk.Of(Funnel.Id);

    public string Line => desk.Line;

    public IReadOnlyList<SharedLink> Links => wiring.Links.Of(Funnel.Id.Value);

    /// <summary>A link that was just made; it is shown this once.</summary>
    [TempData]
    public string? Made { get; set; }

    [TempData]
    public string? Done { get; set; }

    public override void OnPageHandlerExecuting(PageHandlerExecutingContext context)
    {
        Funnel = funnels.BySlug((string)RouteData.Values["funnel"]!)!;
        if (Funnel is null) context.Result = NotFound();
    }

    public void OnGet()
    {
    }

    public async Task<IActionResult> OnPostCheckAsync(long? page)
    {
        var wired = Pages.Where(shown => page is null || shown.Page.Id.Value == page).ToArray();
        var bad = 0;
        foreach (var shown in wired)
            if (!(await desk.CheckAsync(shown.Page, HttpContext.RequestAborted)).IsGood) bad++;
        Done = bad == 0 ? $"{Show.Count(wired.Length, "page", "pages")} looked at: nothing is wrong." : $"{Show.Count(wired.Length, "page", "pages")} looked at: {Show.Count(bad, "needs", "need")} mending.";
        return Redirect($"/f/{Funnel.Slug}/wiring");
    }

    public async Task<IActionResult> OnPostShareAsync()
    {
        Made = $"{visitors.Origin}/share/{await wiring.Links.MakeAsync(Funnel.Id.Value)}";
        return Redirect($"/f/{Funnel.Slug}/wiring");
    }

    public async Task<IActionResult> OnPostWithdrawAsync(long link)
    {
        await wiring.Links.WithdrawAsync(Funnel.Id.Value, link);
        Done = "The link opens nothing any more.";
        return Redirect($"/f/{Funnel.Slug}/wiring");
    }

    public string Until(SharedLink link) => clock.Moment(link.Until);
}
