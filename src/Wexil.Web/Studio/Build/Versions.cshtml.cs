using Microsoft.AspNetCore.Mvc;
using Wexil.Core.Pages;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>Every version of a page that was published: to be seen, compared and brought back.</summary>
public sealed class VersionsModel(StepScreens screens, PageContext desk) : PageScreenModel(screens, desk)
{
    public IReadOnlyList<PageVersion> Versions { get; private set; } = [];

    public IActionResult OnGet()
    {
        if (!Shown.IsHosted)
            return NotFound();
        Versions = Desk.Pages.Versions(Shown.Id);
        return Page();
    }

    /// <summary>Makes an earlier version the draft; it is seen by visitors once it is published.</summary>
    public async Task<IActionResult> OnPostRestoreAsync(int number)
    {
        if (!Shown.IsHosted || Desk.Pages.Versions(Shown.Id).All(version => version.Number != number))
            return NotFound();
        var draft = Desk.Drafts.Of(Shown);
        await Desk.Drafts.TakeFilesAsync(Shown, number);
        await Desk.Drafts.EditAsync(Shown, draft, Desk.Pages.Source(Shown, number), $"Version {number} brought back");
        Done = $"Version {number} is the draft now. Publish it for visitors to see it; undo takes it back.";
        return Redirect(Own());
    }
}
