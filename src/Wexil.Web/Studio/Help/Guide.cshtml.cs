using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;

namespace Wexil.Web.Studio.Help;

/// <summary>The guide: its contents, or one of its pages.</summary>
public sealed class GuideModel : PageModel
{
    /// <summary>Null for the contents.</summary>
    public GuidePage? Shown { get; private set; }

    public IActionResult OnGet(string? slug)
    {
        Shown = GuidePages.All.FirstOrDefault(page => page.Slug == slug);
        return slug is null || Shown is not null ? Page() : NotFound();
    }
}
