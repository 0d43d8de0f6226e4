using Microsoft.AspNetCore.Mvc;
using Wexil.App.Wording;
using Wexil.Core.Funnels;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>Clones a page to another step, of this funnel or another.</summary>
public sealed class ClonePlaceModel(StepScreens screens, PageContext context) : PageScreenModel(screens, context)
{
    public IEnumerable<(Funnel Funnel, IEnumerable<Step> Steps)> Places =>
        Context
            .Funnels.All()
            .Select(funnel =>
                (funnel, Context.Funnels.Steps(funnel.Id).Where(step => !step.IsArchived && step.Id != Screen.Step.Id))
            );

    [BindProperty]
    public long? To { get; set; }

    public void OnGet()
    {
        // The form alone.
    }

    [Logged("Cloned a page")]
    public async Task<IActionResult> OnPostAsync()
    {
        var place = Places
            .SelectMany(funnel => funnel.Steps.Select(step => (funnel.Funnel, Step: step)))
            .FirstOrDefault(place => place.Step.Id.Value == To);
        if (place.Step is null)
        {
            ModelState.AddModelError(nameof(To), "Choose a step.");
            return Page();
        }
        var clone = Context.Pages.Find(await Context.Pages.CloneAsync(Shown, Shown.Name, place.Step.Id))!;
        Done =
            $"A clone of {Format.Quoted(Shown.Name)} is on {place.Step.Name}. Its form and buttons are "
            + "connected to the new page.";
        return Redirect($"/f/{place.Funnel.Slug}/{place.Step.Slug}/build/{clone.Slug}");
    }
}
