using Microsoft.AspNetCore.Mvc;
using Wexil.App.Tickets;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>A page at three widths side by side, with nothing counted.</summary>
public sealed class PreviewPageModel(StepScreens screens, PageContext context) : PageScreenModel(screens, context)
{
    /// <summary>Which version; 0 for the draft.</summary>
    [BindProperty(SupportsGet = true, Name = "v")]
    public int Version { get; set; }

    public string Frame { get; private set; } = "";

    public IActionResult OnGet()
    {
        if (
            !Shown.IsHosted
            || (Version != 0 && Context.Pages.Versions(Shown.Id).All(version => version.Number != Version))
        )
            return NotFound();
        Frame = Context.Frame(Shown, PreviewUse.Inspect, Version == 0 ? null : Version);
        return Page();
    }
}
