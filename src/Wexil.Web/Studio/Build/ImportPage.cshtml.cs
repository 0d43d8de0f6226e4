using Microsoft.AspNetCore.Mvc;
using Wexil.App.Importing;
using Wexil.App.Setup;
using Wexil.Core.Pages;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>How far a page has come that is being fetched, and what could not be had.</summary>
public sealed class ImportPageModel(StepScreens screens, Imports imports, PageStore pages, FirstTestGuide guide)
    : StepPageModel(screens)
{
    public override string Stage => "build";

    public Import Import { get; private set; } = null!;

    /// <summary>
    /// It was under way when the screen was asked for. It may end while the screen is being written, and every part of
    /// the screen has to say the same.
    /// </summary>
    public bool IsUnderWay { get; private set; }

    public Page? Made { get; private set; }

    /// <summary>The page is the first one of an owner who is on the way to a first test.</summary>
    public bool LeadsToFirstTest { get; private set; }

    public IActionResult OnGet(string id)
    {
        if (imports.Find(id) is not { } found || found.Step != Screen.Step.Id)
            return NotFound();
        (Import, IsUnderWay) = (found, found.IsUnderWay);
        Made = found.Result is { Page: var page } ? pages.Find(page) : null;
        LeadsToFirstTest = guide.State() is { Stage: not FirstTestStage.Done, Step: { } step } && step.Id == found.Step;
        return Page();
    }

    /// <summary>How far it is, for the bar.</summary>
    public IActionResult OnGetProgress(string id) =>
        imports.Find(id) is { } found && found.Step == Screen.Step.Id
            ? new JsonResult(
                new
                {
                    found.Progress.Done,
                    found.Progress.Known,
                    kilobytes = found.Progress.Bytes / 1024,
                    found.Progress.Now,
                    over = !found.IsUnderWay,
                }
            )
            : NotFound();

    [Logged("Stopped an import", IsWork = true)]
    public IActionResult OnPostStop(string id)
    {
        imports.Find(id)?.Stop();
        return Redirect(Screen.Address($"build/import/{id}"));
    }
}
