using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Store;

namespace Wexil.Web.Studio.Funnels;

/// <summary>A funnel's own address leads to its first step.</summary>
public sealed class FunnelModel(FunnelStore funnels) : PageModel
{
    public IActionResult OnGet(string funnel)
    {
        if (funnels.BySlug(funnel) is not { } found)
            return NotFound();
        return Redirect(
            funnels.Steps(found.Id).FirstOrDefault(step => !step.IsArchived) is { } first
                ? $"/f/{found.Slug}/{first.Slug}/build"
                : $"/f/{found.Slug}/steps/new"
        );
    }
}
