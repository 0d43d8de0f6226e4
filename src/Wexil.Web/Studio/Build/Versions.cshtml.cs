using Microsoft.AspNetCore.Mvc;
using Wexil.Core.Pages;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>Every version of a page that was published: to be seen, compared and brought back.</summary>
public sealed class VersionsModel(StepScreens screens, PageContext context) : PageScreenModel(screens, context)
{
    public IReadOnlyList<PageVersion> Versions { get; private set; } = [];

    public IActionResult OnGet()
    {
        if (!Shown.IsHosted)
            return NotFound();
        Versions = Context.Pages.Versions(Shown.Id);
        return Page();
    }

    /// <summary>Makes an earlier version the draft; it is seen by visitors once it is published.</summary>
    [Logged("Brought a version of a page back")]
    public async Task<IActionResult> OnPostRestoreAsync(int number)
    {
        if (!Shown.IsHosted || Context.Pages.Versions(Shown.Id).All(version => version.Number != number))
            return NotFound();
        var draft = Context.Drafts.For(Shown);
        await Context.Drafts.TakeFilesAsync(Shown, number);
        await Context.Drafts.EditAsync(Shown, draft, Context.Pages.Source(Shown, number), $"Restored version {number}");
        Done = $"Version {number} is now the draft. Publish it to make it live, or undo.";
        return Redirect(Own());
    }
}
