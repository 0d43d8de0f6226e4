using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Wording;
using Wexil.Core.Sales;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Studio.Sales;

/// <summary>One order: what came of it, and what the owner can do about it.</summary>
public sealed class OrderModel(SaleStore sales, OwnerTime clock) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public string? Order { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Currency { get; set; }

    /// <summary>Where the owner came from, with what was looked for there.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Back { get; set; }

    [BindProperty]
    public string? Amount { get; set; }

    [BindProperty]
    public string? Email { get; set; }

    /// <summary>Names the form as it was shown, so that what is sent twice is one refund.</summary>
    [BindProperty]
    public Guid Once { get; set; }

    public LedgerOrder Shown { get; private set; } = null!;

    public string Ledger => Back is not null && Back.StartsWith("/sales?", StringComparison.Ordinal) ? Back : "/sales";

    public override void OnPageHandlerExecuting(PageHandlerExecutingContext context)
    {
        Shown = sales.Order(Order ?? "", Currency ?? "")!;
        if (Shown is null)
            context.Result = NotFound();
    }

    public void OnGet() =>
        (Amount, Once) = (Core.Common.Currency.Find(Shown.Currency)?.Write(Shown.Balance.Net), Guid.NewGuid());

    [Logged("Entered a refund")]
    public async Task<IActionResult> OnPostRefundAsync()
    {
        var currency = Core.Common.Currency.Find(Shown.Currency);
        var parsed = currency is null ? null : Locale.Current.ParseMoney(currency, Amount ?? "");
        if (parsed is not > 0 || parsed > Shown.Balance.Net)
            return Refuse(
                nameof(Amount),
                Shown.Balance.Net == 0
                    ? "This order is fully refunded."
                    : $"Enter an amount above 0 and up to {SalesModel.Money(Shown.Balance.Net, Shown.Currency)}."
            );
        await sales.RecordAsync(
            new(
                SaleKind.Refund,
                Shown.Order,
                $"by hand {Once:N}",
                parsed.Value,
                Shown.Currency,
                Channel: SaleChannel.Hand
            ),
            null,
            null,
            clock.Now
        );
        return await DoneAsync(
            $"Refund of {SalesModel.Money(parsed.Value, Shown.Currency)} recorded for order {Shown.Order}. "
                + "Return the money in your payment service."
        );
    }

    [Logged("Assigned an order to a test")]
    public async Task<IActionResult> OnPostAssignAsync()
    {
        if (string.IsNullOrWhiteSpace(Email) || sales.VisitorOf(Email.Trim()) is not { } visitor)
            return Refuse(nameof(Email), "No one opted in with this e-mail address.");
        await sales.ClaimAsync(Shown.Order, visitor, clock.Now);
        return await DoneAsync($"Order {Shown.Order} is credited to {Email.Trim()}.");
    }

    private async Task<IActionResult> DoneAsync(string done)
    {
        await sales.WhenCountedAsync();
        TempData[nameof(SalesModel.Done)] = done;
        return Redirect(Ledger);
    }

    private PageResult Refuse(string field, string problem)
    {
        ModelState.AddModelError(field, problem);
        return Page();
    }
}
