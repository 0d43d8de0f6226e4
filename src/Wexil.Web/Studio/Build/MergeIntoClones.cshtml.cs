using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Wexil.Core.Pages;
using Wexil.Pages.Differences;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>What carrying the parent's changes over would do to one clone.</summary>
public sealed record ClonePlan(Page Page, string Address, bool IsTested, IReadOnlyList<MergedChange> Changes);

/// <summary>Carries later changes of a page over to all its clones at once.</summary>
public sealed class MergeIntoClonesModel(StepScreens screens, PageContext context) : PageScreenModel(screens, context)
{
    public IReadOnlyList<ClonePlan> Plans { get; private set; } = [];

    public IActionResult OnGet()
    {
        if (!Shown.IsHosted)
            return NotFound();
        var now = Context.Pages.Source(Shown);
        Plans =
        [
            .. Behind()
                .Select(clone => new ClonePlan(
                    clone,
                    AddressOf(clone),
                    Screen.Open?.Test.Pages.Contains(clone.Id) == true,
                    CloneMerge.Plan(
                        Context.Pages.Source(Shown, clone.ParentVersion!.Value),
                        now,
                        Context.Drafts.For(clone).Source
                    )
                )),
        ];
        return Page();
    }

    /// <summary>
    /// Puts the changes chosen into the clones' drafts. Visitors see them once each is published, which is a step of
    /// its own.
    /// </summary>
    /// <param name="clones">The clones that it is done on.</param>
    /// <param name="take">The changes that are taken, as "clone:number".</param>
    [Logged("Carried changes over to clones")]
    public async Task<IActionResult> OnPostAsync(long[] clones, string[] take)
    {
        if (!Shown.IsHosted)
            return NotFound();
        var (now, culture) = (Context.Pages.Source(Shown), CultureInfo.InvariantCulture);
        var chosen = take.Select(choice => choice.Split(':'))
            .Where(parts => parts.Length == 2)
            .ToLookup(
                parts => parts[0],
                parts => int.TryParse(parts[1], NumberStyles.None, culture, out var number) ? number : -1
            );
        var carried = Behind()
            .Where(clone => clones.Contains(clone.Id.Value))
            .Select(clone =>
                (
                    clone,
                    CloneMerge.Apply(
                        Context.Pages.Source(Shown, clone.ParentVersion!.Value),
                        now,
                        Context.Drafts.For(clone).Source,
                        chosen[clone.Id.Value.ToString(culture)].ToHashSet()
                    )
                )
            )
            .ToList();
        if (carried.Count == 0)
        {
            ModelState.AddModelError("clones", "Choose at least one clone.");
            return OnGet();
        }
        await Context.Pages.CarryAsync(carried, Shown.Revision);
        Done =
            "Carried over to the "
            + $"{(carried.Count == 1 ? "draft of 1 clone" : $"drafts of {carried.Count} clones")}. Check "
            + $"{(carried.Count == 1 ? "it" : "each")}, then publish.";
        return Redirect(Screen.Address("build"));
    }

    private IEnumerable<Page> Behind() =>
        Context.Pages.ClonesOf(Shown.Id).Where(clone => clone.IsHosted && clone.ParentVersion < Shown.Revision);

    private string AddressOf(Page clone) =>
        clone.Step == Screen.Step.Id ? Screen.Address($"build/{clone.Slug}") : $"/jump?q={clone.Slug}";
}
