using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Drafts;
using Wexil.Core.Pages;
using Wexil.Pages.Starters;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Funnels;

namespace Wexil.Web.Studio.Branding;

/// <summary>The look that starter pages and blocks take on: kept once, used from then on.</summary>
[UploadLimit(1)]
public sealed class BrandKitModel(SettingStore settings) : PageModel
{
    // A block carries the logo within the page, so it must not make every page heavy.
    private const int MaxLogoBytes = 200 << 10;

    [BindProperty]
    public string? Accent { get; set; }

    [BindProperty]
    public string? Paper { get; set; }

    [BindProperty]
    public bool IsSerif { get; set; }

    [BindProperty]
    public IFormFile? Logo { get; set; }

    [TempData]
    public string? Done { get; set; }

    public bool HasLogo => settings.BrandLogo is not null;

    public void OnGet()
    {
        var brand = OwnerBrand.Read(settings);
        (Accent, Paper, IsSerif) = (brand.Accent, brand.Paper, brand.IsSerif);
    }

    /// <summary>The logo as it is kept, for this screen.</summary>
    public IActionResult OnGetLogo()
    {
        if (settings.BrandLogo is not var (extension, content))
            return NotFound();
        // Of an own address, an SVG could run scripts.
        Response.Headers.ContentSecurityPolicy = "sandbox; default-src 'none'; style-src 'unsafe-inline'";
        return File(content, ContentTypes.ForPath("logo" + extension)!);
    }

    [Logged("Changed the brand kit")]
    public async Task<IActionResult> OnPostAsync()
    {
        if (!Brand.IsColor(Accent))
            ModelState.AddModelError(nameof(Accent), "Enter a color such as #1d5a3c.");
        if (!Brand.IsColor(Paper))
            ModelState.AddModelError(nameof(Paper), "Enter a color such as #fbfaf5.");
        else if (!Brand.IsLight(Paper!))
            ModelState.AddModelError(nameof(Paper), "Choose a lighter color: the text on it is dark.");
        var logo = OfferForm.ReadPicture(Logo, MaxLogoBytes, ModelState, nameof(Logo));
        if (!ModelState.IsValid)
            return Page();
        await settings.SetBrandAsync(Accent!, IsSerif);
        await settings.SetBrandPaperAsync(Paper!);
        if (logo is not null)
            await settings.SetBrandLogoAsync(logo.Extension, logo.Content);
        Done = "Saved. New starter pages and blocks look like this.";
        return RedirectToPage();
    }

    [Logged("Removed the logo")]
    public async Task<IActionResult> OnPostRemoveLogoAsync()
    {
        await settings.SetBrandLogoAsync("", []);
        Done = "The logo is removed. Pages that have it keep it.";
        return RedirectToPage();
    }
}
