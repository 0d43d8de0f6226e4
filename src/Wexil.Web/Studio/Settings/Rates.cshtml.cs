using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Sales;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Studio.Settings;

/// <summary>What other currencies are worth in the owner's, by days.</summary>
public sealed class RatesModel(RateStore rates, SettingStore settings, SaleStore sales, OwnerTime clock) : PageModel
{
    private static readonly DateOnly Earliest = new(2000, 1, 1);

    [BindProperty]
    public string? Code { get; set; }

    [BindProperty]
    public string? Worth { get; set; }

    [BindProperty]
    public string? From { get; set; }

    [TempData]
    public string? Done { get; set; }

    public Currency Own => settings.Currency;

    public IReadOnlyList<ExchangeRate> Rates { get; private set; } = [];

    /// <summary>Orders that no rate is known for, by currency.</summary>
    public IReadOnlyList<(string Currency, long Orders)> Unrated { get; private set; } = [];

    public string Worded(ExchangeRate rate) =>
        $"{rate.Worth.ToString("0.######", CultureInfo.InvariantCulture)} {Own.Code}";

    public void OnGet()
    {
        Load();
        From = clock.Today.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
        Code = Unrated is [var (currency, _), ..] ? currency : null;
    }

    [Logged("Entered an exchange rate")]
    public async Task<IActionResult> OnPostAsync()
    {
        if (Currency.Find(Code) is not { } currency || currency == Own)
            ModelState.AddModelError(nameof(Code), "Choose a currency other than your own.");
        if (ExchangeRate.Parse(Worth) is not { } worth)
            ModelState.AddModelError(
                nameof(Worth),
                "Enter a number above 0 such as 1.08, with at most six decimal places."
            );
        if (
            !DateOnly.TryParseExact(From, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var from)
            || from < Earliest
        )
            ModelState.AddModelError(nameof(From), "Enter a day such as 2026-11-09.");
        if (!ModelState.IsValid)
        {
            Load();
            return Page();
        }
        var rate = new ExchangeRate(Currency.Find(Code)!, from, ExchangeRate.Parse(Worth)!.Value);
        await rates.SetAsync(rate);
        Done = $"One {rate.Currency.Code} is worth {Worded(rate)} from {Format.Day(from)} on.";
        return Redirect("/settings/rates");
    }

    [Logged("Deleted an exchange rate")]
    public async Task<IActionResult> OnPostDropAsync(string? code, string? from)
    {
        if (
            Currency.Find(code) is { } currency
            && DateOnly.TryParseExact(
                from,
                "yyyy-MM-dd",
                CultureInfo.InvariantCulture,
                DateTimeStyles.None,
                out var day
            )
        )
        {
            await rates.DropAsync(currency, day);
            Done = $"The rate of {currency.Code} from {Format.Day(day)} is removed.";
        }
        return Redirect("/settings/rates");
    }

    private void Load()
    {
        Rates = rates.All();
        Unrated = sales.Unrated();
    }
}
