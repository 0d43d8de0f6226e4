using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Core.Funnels;
using Wexil.Store;

namespace Wexil.Web.Studio.Shared;

/// <summary>A screen of a funnel; its address names the funnel, and one that names none is not found.</summary>
public abstract class FunnelPageModel(FunnelStore funnels) : PageModel
{
    protected FunnelStore Funnels => funnels;

    public Funnel Funnel { get; private set; } = null!;

    /// <summary>A sentence for the next screen about what was just done.</summary>
    [TempData]
    public string? Done { get; set; }

    public override void OnPageHandlerExecuting(PageHandlerExecutingContext context)
    {
        if (funnels.BySlug((string)RouteData.Values["funnel"]!) is not { } funnel)
        {
            context.Result = NotFound();
            return;
        }
        Funnel = funnel;
        Read();
    }

    /// <summary>Reads what every handler of the screen needs.</summary>
    protected virtual void Read() { }
}
