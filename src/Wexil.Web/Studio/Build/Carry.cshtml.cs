using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Wexil.Core.Pages;
using Wexil.Core.Pages.Changes;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>What carrying the parent's changes over would do to one clone.</summary>
public sealed record ClonePlan(Page Page, string Address, bool IsTested, IReadOnlyList<CarriedChange> Changes);

/// <summary>Carries later changes of a page over to all its clones at once.</summary>
public sealed class CarryModel(StepScreens screens, PageDesk desk) : PageScreenModel(screens, desk)
{
    public IReadOnlyList<ClonePlan> Plans { get; private set; } = [];

    public IActionResult OnGet()
    {
        if (!Shown.IsHosted) return NotFound();
        var now = Desk.Pages.Source(Shown);
        Plans = [.. Behind().Select(clone => new ClonePlan(clone, AddressOf(clone), Screen.Open?.Test.Pages.Contains(clone.Id) == true,
            CarryOver.Plan(Desk.Pages.Source(Shown, clone.ParentVersion!.Value), now, Desk.Pages.Source(clone))))];
        return Page();
    }

    /// <param name="clones">The clones that it is done on.</param>
    /// <param name="theirs">Changes in conflict that are taken all the same, as "clone:number".</param>
    public async Task<IActionResult> OnPostAsync(long[] clones, string[] theirs)
    {
        if (!Shown.IsHosted) return NotFound();
        var now = Desk.Pages.Source(Shown);
        var chosen = theirs.Select(choice => choice.Split(':')).Where(parts => parts.Length == 2)
            .ToLookup(parts => parts[0], parts => int.TryParse(parts[1], CultureInfo.InvariantCulture, out var number) ? number : -1);
        var carried = new List<(Page, string, string?)>();
        foreach (var clone in Behind().Where(clone => clones.Contains(clone.Id.Value)))
        {
            var before = Desk.Pages.Source(Shown, clone.ParentVersion!.Value);
            var take = chosen[clone.Id.Value.ToString(CultureInfo.InvariantCulture)].ToHashSet();
            var source = CarryOver.Apply(before, now, Desk.Pages.Source(clone), take);
            // Work that is not published yet gets the changes too, and is published by none but its author.
            var draft = clone.HasDraft ? CarryOver.Apply(before, now, Desk.Drafts.Of(clone).Source, take) : source;
            carried.Add((clone, source, draft));
        }
        if (carried.Count == 0)
        {
            ModelState.AddModelError("clones", "Choose at least one clone.");
            return OnGet();
        }
        await Desk.Pages.CarryAsync(carried, Shown.Revision);
        Desk.Routes.Reload();
        Done = carried.Count == 1 ? "Carried over to 1 clone." : $"Carried over to {carried.Count} clones.";
        return Redirect(Screen.Address("build"));
    }

    private IEnumerable<Page> Behind() => Desk.Pages.ClonesOf(Shown.Id).Where(clone => clone.IsHosted && clone.ParentVersion < Shown.Revision);

    private string AddressOf(Page clone) => clone.Step == Screen.Step.Id ? Screen.Address($"build/{clone.Slug}") : $"/jump?q={clone.Slug}";
}
