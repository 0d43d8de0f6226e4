using Wexil.Core.Common;
using Wexil.Core.Sales;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;

namespace Wexil.App.Wording;

/// <summary>Says what rehearsal visitors did, and what was recorded of it.</summary>
public static class RehearsalWording
{
    /// <summary>What was recorded, as words without a subject: "Visit to “Opt-in A”".</summary>
    /// <param name="page">The name of the page or variation; null where the event has none.</param>
    /// <param name="section">The section that a variation is of; null for a page.</param>
    public static string Recorded(RehearsalLine line, string? page, string? section) =>
        line.Recorded switch
        {
            EventKind.Enrol or EventKind.Apart when section is not null =>
                $"{Name(page)} in the section {Format.Quoted(section)}{Drawn(line)}",
            EventKind.Visit => $"Visit to {Name(page)}",
            EventKind.Enrol or EventKind.Apart => $"Visit to {Name(page)}{Drawn(line)}",
            EventKind.OptIn => $"Opt-in on {Name(page)}",
            EventKind.Sale => Order(SaleNotice.Parse(line.Data), page),
            EventKind.Claim => "The order came without the wx parameter and was recognized by its e-mail address only",
            EventKind.Met => "Goal reached",
            EventKind.Stay => "Time on the page",
            EventKind.Confirmed => "E-mail address confirmed",
            _ => "Visit that does not count",
        };

    /// <summary>Does the recorded line show something that the owner has to mend?</summary>
    public static bool IsProblem(RehearsalLine line) =>
        line.Request?.IsProblem ?? line.Recorded is EventKind.Claim or EventKind.LeftOut;

    /// <summary>How a visitor ended, as a label.</summary>
    public static string End(RehearsalVisitor visitor) =>
        visitor.Problem switch
        {
            null => "under way",
            "" => "came to the end",
            _ => "stopped",
        };

    /// <summary>A device as a label.</summary>
    public static string Words(Device device) =>
        device switch
        {
            Device.Phone => "phone",
            Device.Tablet => "tablet",
            _ => "computer",
        };

    private static string Drawn(RehearsalLine line) =>
        line.Recorded == EventKind.Enrol ? ", drawn for the test" : ", not part of the test";

    private static string Order(SaleNotice sale, string? page) =>
        $"Order {sale.Order}: {(Currency.Find(sale.Currency) ?? Currency.Default).Show(sale.Amount)}"
        + (page is null ? "" : $", bought on {Name(page)}");

    private static string Name(string? page) => page is null ? "a page" : Format.Quoted(page);
}
