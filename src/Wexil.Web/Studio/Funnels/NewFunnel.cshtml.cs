using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Store;
using Wexil.Web.Shared;

namespace Wexil.Web.Studio.Funnels;

/// <summary>Makes a funnel: from a starter with two pages that work at once, or empty.</summary>
public sealed class NewFunnelModel(FunnelStore funnels, PageStore pages, Routes routes) : PageModel
{
    [BindProperty]
    [Required(ErrorMessage = "Give the funnel a name: the offer that it is for.")]
    [MaxLength(80, ErrorMessage = "At most 80 characters.")]
    public string Name { get; set; } = "";

    [BindProperty]
    public string Starter { get; set; } = "opt-in";

    public async Task<IActionResult> OnPostAsync()
    {
        if (!ModelState.IsValid) return Page();
        var funnel = await funnels.CreateAsync(Name.Trim());
        if (Starter != "opt-in") return Redirect($"/f/{funnel.Slug}/steps/new");
        var optIn = await Add(funnel, StepKind.OptIn, "Opt-in", funnel.Slug, Core.Pages.Starter.OptIn);
        await Add(funnel, StepKind.ThankYou, "Thank-you", $"{funnel.Slug}-thanks", Core.Pages.Starter.ThankYou);
        routes.Reload();
        return Redirect($"/f/{funnel.Slug}/{optIn.Slug}/build");
    }

    private async Task<Step> Add(Funnel funnel, StepKind kind, string name, string slug, string html)
    {
        var step = await funnels.AddStepAsync(funnel.Id, kind, name, Slug.Free(Slug.From(slug), funnels.SlugTaken))
            ?? throw new StoreException("The link’s name was taken a moment ago.");
        await pages.AddAsync(step.Id, name, new PageBundle([new("index.html", System.Text.Encoding.UTF8.GetBytes(html))], "index.html"));
        return step;
    }
}
