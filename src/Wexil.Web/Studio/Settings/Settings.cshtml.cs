using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App;
using Wexil.App.Tickets;
using Wexil.Core.Common;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Studio.Settings;

/// <summary>What the owner settles for the whole of Wexil.</summary>
public sealed class OwnerSettingsModel(
    SettingStore settings,
    SecretStore secrets,
    OwnDeviceTickets tickets,
    VisitorsAddress visitors
) : PageModel
{
    [BindProperty]
    public bool FetchPrivate { get; set; }

    [BindProperty]
    public bool HeedPrivacy { get; set; }

    /// <summary>Visitors get no cookie before they agree to one.</summary>
    [BindProperty]
    public bool NeedsConsent { get; set; }

    /// <summary>What visitors read about what is stored.</summary>
    public string PrivacyAddress => $"{visitors.Origin}/privacy";

    [BindProperty]
    public string Zone { get; set; } = "";

    [BindProperty]
    public string CurrencyCode { get; set; } = "";

    [BindProperty]
    public string? OwnerMail { get; set; }

    /// <summary>Who the owner is, for those who are shown a report.</summary>
    [BindProperty]
    public string? OwnerName { get; set; }

    [BindProperty]
    public string? AffiliateParameter { get; set; }

    /// <summary>Marks the device that opens it as the owner's.</summary>
    public string OwnDeviceLink => $"{visitors.Origin}/mine/{tickets.Issue(TimeSpan.FromDays(1))}";

    public string OffLink => $"{visitors.Origin}/mine/off";

    public string HookAddress => $"{visitors.Origin}/hooks/sale";

    /// <summary>The server key that goes with the secret.</summary>
    public string? ServerKey => secrets.ServerKeys is [var key, ..] ? key : null;

    public bool HasSecret => secrets.HookSecret is not null;

    /// <summary>Until when the secret before is good too; null where there is one alone.</summary>
    public DateTimeOffset? SecretBeforeUntil => secrets.BeforeUntil;

    /// <summary>A secret that was made just now.</summary>
    public string? NewSecret { get; private set; }

    [BindProperty(Name = nameof(Mapping))]
    public MappingForm Mapping { get; set; } = new();

    public bool IsMappingWrong { get; private set; }

    [TempData]
    public string? Done { get; set; }

    [Logged("Made a secret for the payment service")]
    public async Task<IActionResult> OnPostSecretAsync()
    {
        ModelState.Clear();
        NewSecret = await secrets.RenewHookSecretAsync();
        OnGet();
        return Page();
    }

    [Logged("Ended the payment service's secret before the last")]
    public async Task<IActionResult> OnPostEndSecretAsync()
    {
        await secrets.EndHookSecretBeforeAsync();
        Done = "Only the newest secret is accepted from now on.";
        return Redirect("/settings");
    }

    [Logged("Changed how the payment service reports")]
    public async Task<IActionResult> OnPostMappingAsync()
    {
        ModelState.Clear();
        if (Mapping.Read(ModelState, nameof(Mapping)) is { } mapping)
        {
            await settings.SetHookMappingAsync(mapping);
            Done = "Saved. Applies from the next message.";
            return Redirect("/settings");
        }
        var typed = Mapping;
        OnGet();
        (Mapping, IsMappingWrong) = (typed, true);
        return Page();
    }

    public void OnGet()
    {
        (FetchPrivate, HeedPrivacy, Zone, CurrencyCode, AffiliateParameter) = (
            settings.FetchesPrivateAddresses,
            settings.HeedsPrivacyControl,
            settings.Zone.Id,
            settings.Currency.Code,
            settings.AffiliateParameter
        );
        (OwnerMail, OwnerName, NeedsConsent) = (settings.OwnerMail, settings.OwnerName, settings.NeedsConsent);
        Mapping = MappingForm.From(settings.HookMapping);
    }

    [Logged("Changed settings")]
    public async Task<IActionResult> OnPostAsync()
    {
        if (Currency.Find(CurrencyCode) is null)
            ModelState.AddModelError(nameof(CurrencyCode), "Choose a currency from the list.");
        if (
            AffiliateParameter is not { Length: > 0 and <= 40 } parameter
            || parameter.Any(letter => !char.IsAsciiLetterOrDigit(letter) && letter is not ('_' or '-'))
            || new AddressQuery.Part(parameter).IsOurs
        )
            ModelState.AddModelError(nameof(AffiliateParameter), "Use letters, digits, - and _, such as aff.");
        if (!TimeZoneInfo.TryFindSystemTimeZoneById(Zone, out var zone))
            ModelState.AddModelError(nameof(Zone), "Choose a time zone from the list.");
        if (OwnerName?.Trim().Length > 80)
            ModelState.AddModelError(nameof(OwnerName), "At most 80 characters.");
        if (!string.IsNullOrWhiteSpace(OwnerMail) && !MimeKit.MailboxAddress.TryParse(OwnerMail.Trim(), out _))
            ModelState.AddModelError(
                nameof(OwnerMail),
                "Enter an e-mail address such as ann@larkrow.example, or leave empty."
            );
        if (!ModelState.IsValid)
        {
            Mapping = MappingForm.From(settings.HookMapping);
            return Page();
        }
        await settings.SetOwnerMailAsync(OwnerMail?.Trim());
        await settings.SetOwnerNameAsync(OwnerName?.Trim());
        await settings.SetZoneAsync(zone!);
        await settings.SetCurrencyAsync(Currency.Find(CurrencyCode)!);
        await settings.SetAffiliateParameterAsync(AffiliateParameter!);
        await settings.SetHeedsPrivacyControlAsync(HeedPrivacy);
        await settings.SetNeedsConsentAsync(NeedsConsent);
        await settings.SetFetchesPrivateAddressesAsync(FetchPrivate);
        Done = "Settings saved.";
        return Redirect("/settings");
    }
}
