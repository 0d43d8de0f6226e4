using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Wexil.App;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Funnels;

/// <summary>Adds a step with its permanent link at a funnel's end.</summary>
public sealed class NewStepModel(FunnelStore funnels, VisitorsAddress visitors) : FunnelPageModel(funnels)
{
    public string LinkStart => visitors.Link("");

    [BindProperty]
    [Required(ErrorMessage = "Enter a name for the step.")]
    [MaxLength(80, ErrorMessage = "At most 80 characters.")]
    public string Name { get; set; } = "";

    [BindProperty]
    public StepKind Kind { get; set; } = StepKind.OptIn;

    [BindProperty]
    [Display(Name = "Link")]
    public string? LinkName { get; set; }

    /// <summary>While the link's name is typed: what is wrong with it, or null.</summary>
    public IActionResult OnGetLink(string? name) => new JsonResult(new { problem = Problem(name) });

    [Logged("Added a step")]
    public async Task<IActionResult> OnPostAsync()
    {
        if (string.IsNullOrWhiteSpace(LinkName) && ModelState.IsValid)
            LinkName = Slug.Free(Slug.From(Name), Funnels.SlugTaken);
        if (Problem(LinkName) is { } problem)
            ModelState.AddModelError(nameof(LinkName), problem);
        if (!ModelState.IsValid)
            return Page();
        if (await Funnels.AddStepAsync(Funnel.Id, Kind, Name.Trim(), LinkName!) is not { } step)
        {
            ModelState.AddModelError(nameof(LinkName), Problem(LinkName)!);
            return Page();
        }
        return Redirect($"/f/{Funnel.Slug}/{step.Slug}/build");
    }

    private string? Problem(string? name) =>
        Slug.Problem(name) ?? (Funnels.SlugTaken(name!) ? "This link is taken." : null);
}
