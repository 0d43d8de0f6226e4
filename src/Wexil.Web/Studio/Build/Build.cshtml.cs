using Microsoft.AspNetCore.Mvc;
using Wexil.App;
using Wexil.App.Installation;
using Wexil.App.Tickets;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Pages.Differences;
using Wexil.Pages.Serving;
using Wexil.Pages.Source;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>
/// A page on its card: what differs from the one it came from, what is not wired, what its parent has that it has not.
/// </summary>
public sealed record PageCard(
    Page Page,
    string? Letter,
    Page? Parent,
    int Clones,
    PageChanges? Changes,
    WiringReport? Wiring,
    bool IsBehind,
    string? Frame
);

/// <summary>The pages of a step, seen as they are.</summary>
public sealed class BuildModel(StepScreens screens, PageContext context, PageShelf shelf, VisitorsAddress visitors)
    : StepPageModel(screens)
{
    public override string Stage => "build";

    /// <summary>The width that the pages are seen at: desktop, tablet or phone.</summary>
    [BindProperty(SupportsGet = true)]
    public string As { get; set; } = "desktop";

    /// <summary>The pages of the test first, by letter, then the others.</summary>
    public IReadOnlyList<PageCard> Cards { get; private set; } = [];

    /// <summary>The pages of this step that are put away.</summary>
    public IReadOnlyList<Page> Archived { get; private set; } = [];

    /// <summary>
    /// A page of a running test that is to be put away or moved, and to where; asked about before it is done.
    /// </summary>
    public (Page Page, Step? To)? Asks { get; private set; }

    /// <summary>Where a page can be moved to; a version of a section belongs nowhere else.</summary>
    public IEnumerable<Step> OtherSteps =>
        Screen.Step.IsSection ? [] : Screen.Steps.Where(step => step.Id != Screen.Step.Id && !step.IsArchived);

    public bool CanBeDeleted(Page page) => shelf.Problem(page) is null && shelf.CanBeDeleted(page.Id);

    /// <summary>
    /// The page that the section's step shows, where the section is not on it as visitors see it; null for a step, and
    /// where all is well.
    /// </summary>
    public Page? NotMarkedOn { get; private set; }

    /// <summary>What the section shows was written into that page, which is a plain one now.</summary>
    public bool IsWrittenIn { get; private set; }

    /// <summary>
    /// The line that makes a part of a page hosted elsewhere the section; null where the section is on hosted pages.
    /// </summary>
    public string? LineToPaste { get; private set; }

    public void OnGet() => Read();

    private void Read()
    {
        if (As is not ("tablet" or "phone"))
            As = "desktop";
        Cards = [.. Screen.Pages.Select(Card).OrderBy(card => card.Letter ?? "~").ThenBy(card => card.Page.Id.Value)];
        Archived = shelf.Archived(Screen.Step.Id);
        var shown = Screen.Host?.Page is { } id ? context.Pages.Find(id) : null;
        LineToPaste = shown is { IsHosted: false }
            ? SectionLoader.For(Screen.Step.Slug, visitors.Origin, Screen.Step.StartWait)
            : null;
        NotMarkedOn =
            shown is { IsHosted: true } host
            && SectionedPage.Parse(context.Pages.Source(host)).First(Screen.Step.Slug) is null
                ? host
                : null;
        IsWrittenIn =
            NotMarkedOn is { } page && context.Sections.PagesWithout(Screen.Step).Any(own => own.Id == page.Id);
    }

    /// <summary>Adds the version of a section that shows nothing.</summary>
    [Logged("Changed which pages are hidden")]
    public async Task<IActionResult> OnPostHiddenAsync()
    {
        if (Screen.Host is null)
            return NotFound();
        await context.Pages.AddVersionAsync(Screen.Step.Id, "Hidden", "");
        Done = "In this variation the section is hidden.";
        return Redirect(Screen.Address("build"));
    }

    /// <summary>The section’s first version with its parts the other way round; null where it has no two.</summary>
    private string? InOtherOrder =>
        Screen.Step.IsSection && Screen.Pages is [var first, ..] ? OtherOrder.Of(context.Pages.Source(first)) : null;

    /// <summary>The section’s parts can change places.</summary>
    public bool CanBeReordered => InOtherOrder is not null;

    /// <summary>Adds the version of a section that shows its parts in another order.</summary>
    [Logged("Changed the order of pages")]
    public async Task<IActionResult> OnPostOrderAsync()
    {
        if (InOtherOrder is not { } source)
            return NotFound();
        await context.Pages.AddVersionAsync(Screen.Step.Id, "Other order", source);
        Done = "This variation shows the same elements in reverse order. Open it to reorder them.";
        return Redirect(Screen.Address("build"));
    }

    [Logged("Cloned a page")]
    public async Task<IActionResult> OnPostCloneAsync(long original)
    {
        if (Screen.Pages.FirstOrDefault(page => page.Id == new PageId(original)) is not { } parent)
            return NotFound();
        AuditTrail.Detail(HttpContext, parent.Name);
        var clone = context.Pages.Find(
            await context.Pages.CloneAsync(
                parent,
                CloneName.Next(parent.Name, [.. Screen.Pages.Select(page => page.Name)])
            )
        )!;
        Done =
            $"This is a clone of {Format.Quoted(parent.Name)}"
            + (parent.HasDraft ? ", with its unpublished changes" : "")
            + $". Change one thing and publish it. Visitors see it "
            + "once you start a test with it.";
        return Redirect(Screen.Address($"build/{clone.Slug}"));
    }

    /// <summary>Shows a page to everyone without a test.</summary>
    [Logged("Made a page live")]
    public async Task<IActionResult> OnPostShowAsync(long id)
    {
        if (Screen.Pages.FirstOrDefault(own => own.Id == new PageId(id)) is not { } shown)
            return NotFound();
        AuditTrail.Detail(HttpContext, shown.Name);
        Done = await context.Pages.ShowAsync(shown)
            ? $"Everyone who opens the step’s link sees {Format.Quoted(shown.Name)} from now on."
            : "A test is running on this step. Keep a page first.";
        return Redirect(Screen.Address("build"));
    }

    /// <summary>
    /// Puts a page away, or moves it to another step of the funnel; for a page in a running test it is asked first.
    /// </summary>
    [Logged("Archived or moved a page")]
    public async Task<IActionResult> OnPostArchiveAsync(long id, long? to, bool confirmed)
    {
        if (Screen.Pages.FirstOrDefault(own => own.Id == new PageId(id)) is not { } page)
            return NotFound();
        var target = to is { } step ? OtherSteps.FirstOrDefault(other => other.Id == new StepId(step)) : null;
        if (to is not null && target is null)
            return Refuse(id, "Choose a step.");
        if (shelf.Problem(page) is { } problem)
            return Refuse(id, Words(problem));
        var tested = shelf.IsTested(page.Id);
        if (!confirmed && tested)
        {
            Asks = (page, target);
            Read();
            return Page();
        }
        AuditTrail.Detail(HttpContext, page.Name);
        if (target is null)
        {
            if (await shelf.ArchiveAsync(page) is { } late)
                return Refuse(id, Words(late));
            Done =
                $"{Format.Quoted(page.Name)} is archived."
                + $"{(tested ? " Nobody new is sent there; who has it keeps it. A new phase has begun." : "")}";
        }
        else
        {
            var (moved, late) = await shelf.MoveAsync(page, target.Id);
            if (late is { } why)
                return Refuse(id, Words(why));
            Done =
                moved == page.Id
                    ? $"{Format.Quoted(page.Name)} moved to {Format.Quoted(target.Name)}."
                    : $"{Format.Quoted(page.Name)} was in a test here, so it stays in this step’s archive with "
                        + $"its results; a clone was added to {Format.Quoted(target.Name)}.";
        }
        return Redirect(Screen.Address("build"));
    }

    [Logged("Restored a page")]
    public async Task<IActionResult> OnPostRestoreAsync(long id)
    {
        if (shelf.Archived(Screen.Step.Id).FirstOrDefault(page => page.Id == new PageId(id)) is not { } page)
            return NotFound();
        AuditTrail.Detail(HttpContext, page.Name);
        await shelf.RestoreAsync(page.Id);
        Done = $"{Format.Quoted(page.Name)} is restored.";
        return Redirect(Screen.Address("build"));
    }

    [Logged("Deleted a page")]
    public async Task<IActionResult> OnPostDeleteAsync(long id)
    {
        if (
            Screen.Pages.Concat(shelf.Archived(Screen.Step.Id)).FirstOrDefault(own => own.Id == new PageId(id))
            is not { } page
        )
            return NotFound();
        AuditTrail.Detail(HttpContext, page.Name);
        if (await shelf.DeleteAsync(page) is { } problem)
            return Refuse(id, Words(problem));
        Done = $"{Format.Quoted(page.Name)} is deleted. No visitor ever saw it.";
        return Redirect(Screen.Address("build"));
    }

    private IActionResult Refuse(long page, string problem)
    {
        ModelState.AddModelError($"page-{page}", problem);
        Read();
        return Page();
    }

    private static string Words(ShelfProblem problem) =>
        problem switch
        {
            ShelfProblem.IsShown =>
                "Everyone who opens the step’s link sees this page. Show another page to everyone first.",
            ShelfProblem.IsControl => "This is the control of the running test. Keep a page first.",
            ShelfProblem.LeavesOne => "Without this page the test has nothing to compare. Keep a page instead.",
            ShelfProblem.IsForOthers =>
                "Visitors who do not take part in the test see this page. Choose another page for them first.",
            ShelfProblem.IsTied => "A source always shows this page. Change that on Sources first.",
            _ => "Visitors have seen this page, or it was in a test, so it cannot be deleted. You can archive it.",
        };

    private PageCard Card(Page page)
    {
        var letter = Screen.Reading?.Letter(page.Id) is { Length: > 0 } mark ? mark : null;
        var parent = page.Parent is { } id ? context.Pages.Find(id) : null;
        var clones = Screen.Pages.Count(other => other.Parent == page.Id);
        if (!page.IsHosted)
            return new(page, letter, parent, clones, null, null, false, null);
        var (changes, wiring) = context.Review(page, Screen);
        return new(
            page,
            letter,
            parent,
            clones,
            changes,
            wiring,
            parent is { IsHosted: true } && page.ParentVersion < parent.Revision,
            context.Frame(page, PreviewUse.Look)
        );
    }
}
