using System.Globalization;
using Wexil.Core.Common;
using Wexil.Core.Sales;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Sales;

/// <summary>A line of a file of sales: what it says, or what is wrong with it.</summary>
/// <param name="IsKnown">It was told before, so that it changes nothing.</param>
public sealed record SaleRow(
    int Line,
    string Order,
    string Amount,
    SaleNotice? Notice,
    DateTimeOffset At,
    bool IsKnown,
    string? Problem
)
{
    public bool IsNew => Notice is not null && !IsKnown;
}

/// <summary>
/// Reads sales and refunds from CSV. Amounts below zero are refunds, as most services write them.
/// </summary>
public static class SaleFile
{
    /// <summary>What a file can say.</summary>
    public static readonly TableKind Kind = new(
        "sales",
        [
            new(
                "order",
                "Order number",
                [
                    "order",
                    "order id",
                    "order number",
                    "order no",
                    "transaction",
                    "transaction id",
                    "receipt",
                    "invoice",
                    "id",
                ],
                IsNeeded: true
            ),
            new("amount", "Amount", ["amount", "total", "price", "paid", "gross", "value", "sum"], IsNeeded: true),
            new("currency", "Currency", ["currency", "currency code"]),
            new("product", "Product", ["product", "product name", "item", "item name", "description"]),
            new("email", "E-mail", ["email", "e-mail", "customer email", "buyer email", "email address"]),
            new("date", "Date or time", ["date", "time", "created", "created at", "paid at", "day"]),
            new("type", "Sale or refund", ["type", "kind"]),
            new("line", "Line or refund number", ["line", "line id", "refund", "refund id"]),
        ],
        Amount: "amount",
        Day: "date"
    );

    /// <summary>Every line, good or bad; none where something is to be chosen first.</summary>
    /// <param name="usual">The currency where no column names one.</param>
    /// <param name="known">Which of these were told before.</param>
    /// <param name="fit">A refund in its order's currency, by the rates of its day and the currency in which the file
    /// names the order; null where there is no rate.</param>
    public static IReadOnlyList<SaleRow> Read(
        TableFile file,
        Currency usual,
        TimeZoneInfo zone,
        DateTimeOffset now,
        Func<IReadOnlyCollection<SaleNotice>, IReadOnlySet<SaleNotice>> known,
        Func<SaleNotice, DateTimeOffset, string?, SaleNotice?> fit
    )
    {
        if (file.IsUnclear)
            return [];
        var seen = new HashSet<Guid>();
        var currency = Currency.Find(file.CurrencyOfColumn) ?? usual;
        SaleRow[] rows = [.. file.Lines.Select(line => Row(new(file, line, currency), zone, now, seen))];
        var told = known([.. rows.Select(row => row.Notice).OfType<SaleNotice>()]);
        var sold = rows.Where(row => row.Notice is { Kind: SaleKind.Sale })
            .GroupBy(row => row.Order)
            .ToDictionary(order => order.Key, order => order.First().Notice!.Currency);
        return [.. rows.Select(Settled)];

        SaleRow Settled(SaleRow row)
        {
            if (row.Notice is not { } notice)
                return row;
            if (told.Contains(notice))
                return row with { IsKnown = true };
            const string noRate = "The order was in another currency, and there is no exchange rate between the two.";
            var fitting = fit(notice, row.At, sold.GetValueOrDefault(row.Order));
            return row with { Notice = fitting, Problem = fitting is null ? noRate : null };
        }
    }

    /// <summary>A line whose cells are known by what they mean.</summary>
    private sealed record Cells(TableFile File, CsvLine Line, Currency Usual)
    {
        public string this[string field] => File.Cell(Line, field);

        public string CurrencyCode =>
            this["currency"] is { Length: > 0 } code ? code.Trim().ToUpperInvariant() : Usual.Code;

        /// <summary>With its sign.</summary>
        public (string Amount, string? Problem) Amount => File.Amount(Line, Currency.Find(CurrencyCode) ?? Usual);

        public string? Told(string field)
        {
            var amount = Amount.Amount;
            var isBack =
                amount is ['-' or '−', ..] || this["type"].ToLowerInvariant() is "refund" or "refunded" or "chargeback";
            return field switch
            {
                "type" => isBack ? "refund" : "sale",
                "amount" => amount.TrimStart('-', '−'),
                "currency" => CurrencyCode,
                "line" or "refund" => this["line"],
                "page" => null,
                _ => this[field],
            };
        }
    }

    private static SaleRow Row(Cells cells, TimeZoneInfo zone, DateTimeOffset now, HashSet<Guid> seen)
    {
        var (line, order, amount) = (cells.Line.Number, cells["order"], cells["amount"]);
        SaleRow Bad(string problem) => new(line, order, amount, null, default, false, problem);
        if (cells.Amount.Problem is { } unlike)
            return Bad(unlike);
        var (notice, _, problem) = SaleNotice.Read(cells.Told, SaleChannel.File);
        if (notice is null)
            return Bad(problem);
        var (at, dateProblem) = Moment(cells, zone);
        if (dateProblem is not null)
            return Bad(dateProblem);
        if (at > now)
            return Bad("This date is in the future.");
        if (!seen.Add(notice.Id()))
            return Bad("This order and line are in the file twice.");
        return new(line, order, amount, notice, at ?? now, false, null);
    }

    private static (DateTimeOffset? At, string? Problem) Moment(Cells cells, TimeZoneInfo zone)
    {
        var (day, unlike) = cells.File.Day(cells.Line);
        if (unlike is not null || day.Length == 0)
            return (null, unlike);
        var (local, problem) = LocalMoment.Parse(day, zone);
        if (local is not null)
            return (local, null);
        var isExact = DateTimeOffset.TryParse(
            day,
            CultureInfo.InvariantCulture,
            DateTimeStyles.AssumeUniversal,
            out var exact
        );
        return isExact ? (exact, null) : (null, problem ?? "Write the day like 2026-11-09.");
    }
}
