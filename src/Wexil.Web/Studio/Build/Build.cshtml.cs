using System.Text.RegularExpressions;
using Microsoft.AspNetCore.Mvc;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.Pages.Changes;
using Wexil.Store;
using Wexil.Web.Shared;
using Wexil.Web.Shared.Reading;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>A page on its card: what differs from the one it came from, what is not wired, what its parent has that it has not.</summary>
public sealed record PageCard(Page Page, string? Letter, Page? Parent, int Clones, PageChanges? Changes, WiringReport? Wiring, bool IsBehind, string? Frame);

/// <summary>The pages of a step, seen as they are.</summary>
public sealed partial class BuildModel(StepScreens screens, PageDesk desk) : StepPageModel(screens)
{
    public override string Stage => "build";

    /// <summary>The width that the pages are seen at: desktop, tablet or phone.</summary>
    [BindProperty(SupportsGet = true)]
    public string As { get; set; } = "desktop";

    /// <summary>The pages of the test first, by letter, then the others.</summary>
    public IReadOnlyList<PageCard> Cards { get; private set; } = [];

    /// <summary>A name that says which clone it is and nothing else.</summary>
    public static bool IsPlainName(string name) => PlainName().IsMatch(name);

    public void OnGet()
    {
        if (As is not ("tablet" or "phone")) As = "desktop";
        Cards = [.. Screen.Pages.Select(Card).OrderBy(card => card.Letter ?? "~").ThenBy(card => card.Page.Id.Value)];
    }

    public async Task<IActionResult> OnPostCloneAsync(long original)
    {
        if (Screen.Pages.FirstOrDefault(page => page.Id == new PageId(original)) is not { } parent) return NotFound();
        var clone = desk.Pages.Find(await desk.Pages.CloneAsync(parent, CloneName(parent)))!;
        desk.Routes.Reload(Screen.Funnel.Id);
        Done = $"This is a clone of {Show.Quoted(parent.Name)}. Change one thing, then publish: visitors see it once you send them here.";
        return Redirect(Screen.Address($"build/{clone.Slug}"));
    }

    /// <summary>Shows a page to everyone without a test.</summary>
    public async Task<IActionResult> OnPostShowAsync(long id)
    {
        if (Screen.Pages.FirstOrDefault(own => own.Id == new PageId(id)) is not { } shown) return NotFound();
        Done = await desk.Pages.ShowAsync(shown) ? $"Everyone who opens the step’s link sees {Show.Quoted(shown.Name)} from now on." : "A test is running on this step. Keep a page first.";
        desk.Routes.Reload(Screen.Funnel.Id);
        return Redirect(Screen.Address("build"));
    }

    private PageCard Card(Page page)
    {
        var letter = Screen.Reading?.Letter(page.Id) is { Length: > 0 } mark ? mark : null;
        var parent = page.Parent is { } id ? desk.Pages.Find(id) : null;
        var clones = Screen.Pages.Count(other => other.Parent == page.Id);
        if (!page.IsHosted) return new(page, letter, parent, clones, null, null, false, null);
        var (changes, wiring) = desk.Review(page, Screen);
        return new(page, letter, parent, clones, changes, wiring,
            parent is { IsHosted: true } && page.ParentVersion < parent.Revision, desk.Frame(page, PreviewUse.Look));
    }

    private string CloneName(Page parent)
    {
        var stem = PlainName().Replace(parent.Name, "");
        for (var number = 2; ; number++)
            if (Screen.Pages.All(page => page.Name != $"{stem}, version {number}")) return $"{stem}, version {number}";
    }

    [GeneratedRegex(@", version \d+$")]
    private static partial Regex PlainName();
}
