using Microsoft.AspNetCore.Mvc;
using Wexil.Core.Funnels;
using Wexil.Store;
using Wexil.Web.Shared;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Keep;

/// <summary>Ends a test by keeping a page, takes it back, and shows what was decided before.</summary>
public sealed class KeepModel(StepScreens screens, VerdictStore verdicts, TestStore tests, PageStore pages, Routes routes) : StepPageModel(screens)
{
    public sealed record Row(StoredVerdict Verdict, SplitTest Test, string PageName, Evidence Evidence);

    public override string Stage => "keep";

    public IReadOnlyList<Row> History { get; private set; } = [];

    /// <summary>The verdict that can be taken back.</summary>
    public Row? Standing => !Screen.IsOpen && History is [{ Verdict.TakenBackAt: null } newest, ..] && newest.Test.Id == Screen.Reading!.Test.Id ? newest : null;

    [BindProperty]
    public long Kept { get; set; }

    public void OnGet() => LoadHistory();

    public async Task<IActionResult> OnPostKeepAsync()
    {
        if (Screen.Open is not { } running)
        {
            Done = "The test was decided already; nothing was changed.";
            return Redirect(Screen.Address("keep"));
        }
        if (running.Pages.FirstOrDefault(page => page.Id == new PageId(Kept)) is not { } page)
        {
            LoadHistory();
            ModelState.AddModelError(nameof(Kept), "Choose the page to keep.");
            return Page();
        }
        await Keeper.KeepAsync(verdicts, running, page.Id, "by hand");
        routes.Reload();
        Done = $"{Show.Quoted(page.Name)} is kept. /go/{Screen.Step.Slug} shows it to everybody from now on.";
        return Redirect(Screen.Address("keep"));
    }

    public async Task<IActionResult> OnPostTakeBackAsync()
    {
        var taken = Screen.Reading is { Test: { IsOpen: false } test } && await verdicts.TakeBackAsync(test.Id);
        routes.Reload();
        Done = taken ? "Taken back: the test runs on in a new phase. Visitors who came meanwhile stay out of it." : "There is nothing to take back any more.";
        return Redirect(Screen.Address("keep"));
    }

    private void LoadHistory() => History = [.. verdicts.Of(Screen.Step.Id).Select(verdict => new Row(
        verdict, tests.Find(verdict.Test)!, pages.Find(verdict.Page)!.Name, Evidence.Parse(verdict.Evidence)))];
}
