using Microsoft.AspNetCore.Mvc;
using Wexil.Core.Pages;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>A page as visitors see it, as a .zip of plain HTML and its files.</summary>
public sealed class ExportModel(StepScreens screens, PageContext desk) : PageScreenModel(screens, desk)
{
    public IActionResult OnGet()
    {
        if (!Shown.IsHosted)
            return NotFound();
        var files = Desk
            .Pages.Hashes(Shown.Id, Shown.Revision)
            .Keys.Order(StringComparer.Ordinal)
            .Select(path => Desk.Pages.File(Shown.Id, Shown.Revision, path)!);
        return File(PageArchive.Write(files), "application/zip", $"{Shown.Slug}.zip");
    }
}
