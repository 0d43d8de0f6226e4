using Microsoft.AspNetCore.Mvc;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Store;
using Wexil.Web.Shared;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>The pages of a step, seen as they are.</summary>
public sealed class BuildModel(StepScreens screens, PageStore pages, Routes routes) : StepPageModel(screens)
{
    public override string Stage => "build";

    /// <summary>The width that the pages are seen at: desktop, tablet or phone.</summary>
    [BindProperty(SupportsGet = true)]
    public string As { get; set; } = "desktop";

    /// <summary>The pages of the test first, by letter, then the others.</summary>
    public IEnumerable<Page> InOrder => Screen.Pages.OrderBy(page => Letter(page) ?? "~").ThenBy(page => page.Id.Value);

    public string? Letter(Page page) => Screen.Reading?.Letter(page.Id) is { Length: > 0 } letter ? letter : null;

    public void OnGet()
    {
        if (As is not ("tablet" or "phone")) As = "desktop";
    }

    public async Task<IActionResult> OnPostCloneAsync(long original)
    {
        if (Screen.Pages.FirstOrDefault(page => page.Id == new PageId(original)) is not { } parent) return NotFound();
        var clone = pages.Find(await pages.CloneAsync(parent, CloneName(parent)))!;
        routes.Reload();
        Done = $"This is a clone of “{parent.Name}”. Change one thing, then save: visitors see it once you send them here.";
        return Redirect(Screen.Address($"build/{clone.Slug}"));
    }

    private string CloneName(Page parent)
    {
        var stem = parent.Name.Split(", version ")[0];
        for (var number = 2; ; number++)
            if (Screen.Pages.All(page => page.Name != $"{stem}, version {number}")) return $"{stem}, version {number}";
    }
}
