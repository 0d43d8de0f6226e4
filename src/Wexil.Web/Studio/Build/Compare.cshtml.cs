using Microsoft.AspNetCore.Mvc;
using Wexil.App.Tickets;
using Wexil.Core.Pages;
using Wexil.Pages.Differences;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>
/// Two pages, or two versions of one, side by side or one over the other, with every difference named.
/// </summary>
public sealed class CompareModel(StepScreens screens, PageContext context) : PageScreenModel(screens, context)
{
    /// <summary>The slug of another page to compare with; else the page it was cloned from.</summary>
    [BindProperty(SupportsGet = true)]
    public string? With { get; set; }

    /// <summary>A version of this page to compare with.</summary>
    [BindProperty(SupportsGet = true)]
    public int From { get; set; }

    /// <summary>The version of this page that is compared; 0 for the draft.</summary>
    [BindProperty(SupportsGet = true)]
    public int To { get; set; }

    public PageChanges Changes { get; private set; } = null!;

    public (string Name, string Frame) Before { get; private set; }

    public (string Name, string Frame) After { get; private set; }

    /// <summary>The pages of the step that this one can be compared with.</summary>
    public IEnumerable<Page> Others => Screen.Pages.Where(page => page.IsHosted && page.Id != Shown.Id);

    public Page? Other { get; private set; }

    public IActionResult OnGet()
    {
        if (!Shown.IsHosted)
            return NotFound();
        var versions = Context.Pages.Versions(Shown.Id);
        bool Known(int number) => versions.Any(version => version.Number == number);
        if ((From != 0 && !Known(From)) || (To != 0 && !Known(To)))
            return NotFound();
        var now = To == 0 ? Context.Drafts.For(Shown).Source : Context.Pages.Source(Shown, To);
        After = (
            To == 0 ? Shown.Name + (Shown.HasDraft ? " (draft)" : "") : $"Version {To}",
            Context.Frame(Shown, PreviewUse.Inspect, To == 0 ? null : To)
        );
        if (From != 0)
        {
            Before = ($"Version {From}", Context.Frame(Shown, PreviewUse.Inspect, From));
            var until = Context.Pages.Hashes(Shown.Id, To == 0 ? Shown.Revision : To, To == 0);
            Changes = Between(Shown, From, now, until);
            return Page();
        }
        Other =
            With is { } slug ? Others.FirstOrDefault(page => page.Slug == slug)
            : Parent is { IsHosted: true } parent ? parent
            : Others.FirstOrDefault();
        if (Other is null)
            return With is null ? Page() : NotFound();
        Before = (Other.Name, Context.Frame(Other, PreviewUse.Inspect, Other.Revision));
        Changes = Between(Other, Other.Revision, now, Context.Pages.Hashes(Shown.Id, Shown.Revision, true));
        return Page();
    }

    private PageChanges Between(Page page, int version, string now, IReadOnlyDictionary<string, string> files)
    {
        var before = Context.Pages.Hashes(page.Id, version);
        var differ = Build.PageContext.FilesThatDiffer(before, page.Entry!, files, Shown.Entry!);
        return PageDifferences.Between(Context.Pages.Source(page, version), now, differ);
    }
}
