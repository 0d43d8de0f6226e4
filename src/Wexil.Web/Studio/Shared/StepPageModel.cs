using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Wexil.Web.Studio.Shared;

/// <summary>
/// A screen of a step; its address names funnel and step, and an address that names none is not found.
/// </summary>
public abstract class StepPageModel(StepScreens screens) : PageModel
{
    public StepScreen Screen { get; private set; } = null!;

    /// <summary>Which of the four stages this is.</summary>
    public abstract string Stage { get; }

    public override void OnPageHandlerExecuting(PageHandlerExecutingContext context)
    {
        if (Load())
            return;
        context.Result = NotFound();
    }

    /// <summary>Reads the step again, after it was changed.</summary>
    protected bool Load()
    {
        Screen = screens.Find((string)RouteData.Values["funnel"]!, (string)RouteData.Values["step"]!)!;
        return Screen is not null;
    }

    /// <summary>A sentence for the next screen about what was just done.</summary>
    [TempData]
    public string? Done { get; set; }
}
