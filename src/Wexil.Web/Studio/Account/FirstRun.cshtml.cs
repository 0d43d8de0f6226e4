using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Core.Common;
using Wexil.Store;
using Wexil.Store.Team;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Studio.Account;

/// <summary>The owner sets a password. The key from the printed link shows that it is the owner.</summary>
public sealed class FirstRunModel(
    TeamStore team,
    Passwords passwords,
    SignInLinks links,
    SignInAttempts attempts,
    SettingStore settings,
    TimeProvider time
) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public string? Key { get; set; }

    [BindProperty]
    [Required(ErrorMessage = "Choose a password.")]
    [Password]
    public string Password { get; set; } = "";

    [BindProperty]
    public string Zone { get; set; } = time.LocalTimeZone.Id;

    /// <summary>Who the owner is, for those who are shown a report; may be empty.</summary>
    [BindProperty]
    [MaxLength(80, ErrorMessage = "At most 80 characters.")]
    public string? OwnerName { get; set; }

    [BindProperty]
    public string CurrencyCode { get; set; } = Currency.Default.Code;

    private bool HasPassword => team.Owner.PasswordHash is not null;

    public bool MayBegin => !HasPassword && links.IsOpen(Key);

    public IActionResult OnGet() => HasPassword ? Redirect("/sign-in") : Page();

    [Logged(null)]
    public async Task<IActionResult> OnPostAsync()
    {
        if (!MayBegin)
            return Redirect("/sign-in");
        if (!TimeZoneInfo.TryFindSystemTimeZoneById(Zone, out var zone))
            ModelState.AddModelError(nameof(Zone), "Unknown time zone.");
        if (Currency.Find(CurrencyCode) is not { } currency)
        {
            ModelState.AddModelError(nameof(CurrencyCode), "Choose a currency from the list.");
            currency = Currency.Default;
        }
        if (!ModelState.IsValid)
            return Page();
        await passwords.SetAsync(team.Owner.Id, Password);
        await settings.SetCurrencyAsync(currency);
        await settings.SetOwnerNameAsync(OwnerName?.Trim());
        await settings.SetZoneAsync(zone!);
        links.Redeem(Key);
        await attempts.BeginAsync(HttpContext, team.Owner);
        return Redirect("/signed-in?hop=true");
    }
}
