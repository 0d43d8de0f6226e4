using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Pages.Importing;
using Wexil.Pages.Starters;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Studio.Funnels;

/// <summary>
/// Makes a funnel: from a starter whose pages work at once, from a .zip that a funnel went out as, or empty.
/// </summary>
[UploadLimit(80)]
public sealed class NewFunnelModel(FunnelStore funnels, SettingStore settings) : PageModel
{
    public const string Empty = "empty";

    [BindProperty]
    [MaxLength(80, ErrorMessage = "At most 80 characters.")]
    public string? Name { get; set; }

    [BindProperty]
    public string Starter { get; set; } = StarterFunnel.All[0].Key;

    /// <summary>What starter pages are filled in with.</summary>
    [BindProperty]
    public OfferForm Offer { get; set; } = new();

    [BindProperty]
    public IFormFile? Upload { get; set; }

    public void OnGet() => Offer = OfferForm.From(settings);

    [Logged("Created a funnel")]
    public async Task<IActionResult> OnPostAsync()
    {
        if (string.IsNullOrWhiteSpace(Name))
            ModelState.AddModelError(nameof(Name), "Enter a name for the funnel.");
        var offer = Offer.Read(Name?.Trim() ?? "", ModelState, nameof(Offer), settings);
        if (!ModelState.IsValid)
            return Page();
        var name = offer.Name;
        AuditTrail.Detail(HttpContext, name);
        if (StarterFunnel.Find(Starter) is not { } starter)
            return Redirect($"/f/{(await funnels.CreateAsync(name)).Slug}/steps/new");
        await OfferForm.KeepLookAsync(offer, settings);
        var slug = Slug.From(name);
        var made = await funnels.CreateAsync(
            name,
            [
                .. starter.Steps.Select(
                    (step, i) =>
                        new FunnelStep(
                            step.Page.Kind,
                            step.Name,
                            i == 0 ? slug : Slug.From($"{slug}-{Slug.From(step.Name)}"),
                            [new(step.Page.Name, step.Page.BundleFor(offer), null)]
                        )
                ),
            ],
            isLive: false
        );
        return Redirect($"/f/{made.Slug}");
    }

    /// <summary>Takes a funnel in that went out as a .zip.</summary>
    [Logged("Created a funnel from a file")]
    public async Task<IActionResult> OnPostUploadAsync()
    {
        var limits = new ArchiveLimits();
        if (Upload is not { Length: > 0 })
            return Refuse("Choose a funnel .zip.");
        if (Upload.Length > limits.TotalBytes)
            return Refuse($"The file is larger than {limits.TotalBytes >> 20} MB.");
        await using var stream = Upload.OpenReadStream();
        var (plan, problem) = FunnelArchive.Read(stream, limits);
        if (plan is null)
            return Refuse(problem!);
        var name = string.IsNullOrWhiteSpace(Name) ? plan.Name : Name.Trim();
        var made = await funnels.CreateAsync(name, plan.WithFreeLinks(funnels.SlugTaken).Steps, isLive: false);
        return Redirect($"/f/{made.Slug}");
    }

    private IActionResult Refuse(string problem)
    {
        ModelState.Clear();
        Offer = OfferForm.From(settings);
        ModelState.AddModelError(nameof(Upload), problem);
        return Page();
    }
}
