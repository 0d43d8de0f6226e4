using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Sales;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Sales;

/// <summary>The ledger: every order, what became of it, and whom it is credited to.</summary>
public sealed class SalesModel(
    SaleStore sales,
    SettingStore settings,
    PageStore pages,
    NamedPages named,
    OwnerTime clock
) : PageModel
{
    public const int MaxCount = 100;

    /// <summary>A sale told by hand.</summary>
    public sealed class SaleForm
    {
        public string? Order { get; set; }
        public string? Amount { get; set; }
        public string? Currency { get; set; }
        public string? Product { get; set; }
        public string? Email { get; set; }

        /// <summary>The page that sold it, by a part of its name; empty where that is not known.</summary>
        public string? Page { get; set; }
    }

    [BindProperty(SupportsGet = true)]
    public string? From { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Until { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Text { get; set; }

    /// <summary>"yes" or "no"; anything else for all.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Credited { get; set; }

    [BindProperty(Name = nameof(New))]
    public SaleForm New { get; set; } = new();

    [TempData]
    public string? Done { get; set; }

    public Currency Currency => settings.Currency;

    public IReadOnlyList<LedgerOrder> Orders { get; private set; } = [];

    public IReadOnlyList<LedgerTotal> Totals { get; private set; } = [];

    /// <summary>By what the orders are summed up; null where nobody asked for that.</summary>
    [BindProperty(SupportsGet = true)]
    public LedgerBy? By { get; set; }

    public IReadOnlyList<LedgerSum> Sums { get; private set; } = [];

    /// <summary>How many hundreds of orders come before those shown.</summary>
    [BindProperty(SupportsGet = true)]
    [Range(0, 10_000)]
    public int Turned { get; set; }

    public long All => Totals.Sum(total => total.Orders);

    /// <summary>The address of this screen with the same filter, summed up otherwise.</summary>
    public string SummedBy(LedgerBy? by, int turned = 0) =>
        $"/sales?from={Escaped(From)}&until={Escaped(Until)}&text={Escaped(Text)}&credited={Escaped(Credited)}"
        + $"{(by is null ? "" : $"&by={by}")}{(turned > 0 ? $"&turned={turned}" : "")}";

    /// <summary>The screen of one order, which leads back here.</summary>
    public string Address(LedgerOrder order) =>
        $"/sales/order?order={Escaped(order.Order)}&currency={order.Currency}&back={Escaped(SummedBy(By, Turned))}";

    private static string Escaped(string? text) => Uri.EscapeDataString(text ?? "");

    public long Uncredited { get; private set; }

    /// <summary>An amount in its own currency; the bare number where that is not known any more.</summary>
    public static string Money(long amount, string currency) =>
        Currency.Find(currency)?.Show(amount) ?? $"{amount} {currency}";

    public void OnGet() => Load();

    [Logged("Entered a sale")]
    public async Task<IActionResult> OnPostAddAsync()
    {
        var (sold, unclear) = string.IsNullOrWhiteSpace(New.Page)
            ? default
            : PageChoice.Choose(New.Page, named.Pages(New.Page));
        if (unclear is { Length: > 0 })
            return Refuse("New.Page", unclear);
        var (notice, field, problem) = SaleNotice.Read(
            name =>
                name switch
                {
                    "type" => "sale",
                    "order" => New.Order,
                    "amount" => New.Amount,
                    "currency" => New.Currency,
                    "product" => New.Product,
                    "email" => New.Email,
                    "page" => sold is null ? null : pages.Find(sold.Page)?.Slug,
                    _ => null,
                },
            SaleChannel.Hand
        );
        if (notice is null)
            return Refuse($"New.{char.ToUpperInvariant(field[0])}{field[1..]}", problem);
        if (sales.Find(notice.Order).GetValueOrDefault(notice.Currency).Sold > 0)
            return Refuse("New.Order", "An order of this number already exists.");
        await sales.RecordAsync(notice, null, sold?.Page, clock.Now);
        await sales.WhenCountedAsync();
        Done = $"Order {notice.Order} added.";
        return Redirect("/sales");
    }

    private IActionResult Refuse(string field, string problem)
    {
        ModelState.AddModelError(field, problem);
        Load();
        return Page();
    }

    private void Load()
    {
        var zone = settings.Zone;
        var (from, fromProblem) = LocalMoment.Parse(From is { Length: > 0 } ? From + "T00:00" : null, zone);
        var (until, untilProblem) = LocalMoment.Parse(Until is { Length: > 0 } ? Until + "T00:00" : null, zone);
        if (fromProblem is not null)
            ModelState.AddModelError(nameof(From), "Enter a day such as 2026-11-09.");
        if (untilProblem is not null)
            ModelState.AddModelError(nameof(Until), "Enter a day such as 2026-11-09.");
        var filter = new LedgerFilter(
            from ?? clock.Now.AddDays(-30),
            until?.AddDays(1) ?? clock.Now.AddDays(1),
            Text?.Trim() ?? "",
            Credited switch
            {
                "yes" => true,
                "no" => false,
                _ => null,
            }
        );
        if (!ModelState.IsValid)
            Turned = Math.Clamp(Turned, 0, 10_000);
        Orders = sales.Orders(filter, MaxCount, Turned * MaxCount);
        Totals = sales.Totals(filter);
        Sums = By is { } by ? sales.Sums(filter, by) : [];
        Uncredited = sales.Uncredited();
        New.Currency ??= settings.Currency.Code;
    }
}
