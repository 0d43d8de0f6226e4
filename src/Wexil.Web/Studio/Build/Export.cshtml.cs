using Microsoft.AspNetCore.Mvc;
using Wexil.Core.Pages;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>A page as visitors see it, as a .zip of plain HTML and its files.</summary>
public sealed class ExportModel(StepScreens screens, PageContext context) : PageScreenModel(screens, context)
{
    public IActionResult OnGet()
    {
        if (!Shown.IsHosted)
            return NotFound();
        return File(
            PageArchive.Write(Context.Sections.Files(Shown, Screen.Funnel.Id)),
            "application/zip",
            $"{Shown.Slug}.zip"
        );
    }
}
