using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Store;

namespace Wexil.Web.Studio.Settings;

/// <summary>What the owner settles for the whole of Wexil.</summary>
public sealed class OwnerSettingsModel(SettingStore settings) : PageModel
{
    [BindProperty]
    public bool FetchPrivate { get; set; }

    [BindProperty]
    public string Zone { get; set; } = "";

    [TempData]
    public string? Done { get; set; }

    public void OnGet() => (FetchPrivate, Zone) = (settings.FetchesPrivateAddresses, settings.Zone.Id);

    public async Task<IActionResult> OnPostAsync()
    {
        if (!TimeZoneInfo.TryFindSystemTimeZoneById(Zone, out var zone))
        {
            ModelState.AddModelError(nameof(Zone), "Choose a time zone from the list.");
            return Page();
        }
        await settings.SetZoneAsync(zone);
        await settings.SetFetchesPrivateAddressesAsync(FetchPrivate);
        Done = "The settings are saved.";
        return Redirect("/settings");
    }
}
