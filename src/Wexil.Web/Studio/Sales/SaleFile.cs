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

/// <summary>A file as it was read: its columns, which of them means what, and its lines.</summary>
public sealed record SaleFileRead(
    IReadOnlyList<string> Columns,
    IReadOnlyDictionary<string, string> Mapping,
    IReadOnlyList<SaleRow> Rows,
    string? Problem
);

/// <summary>
/// Reads sales and refunds from CSV. Which column is which is guessed from its name and can be said otherwise. Amounts
/// below zero are refunds, as most services write them.
/// </summary>
public static class SaleFile
{
    public const int MaxRows = 5000,
        MaxTextLength = 512 << 10;

    /// <summary>What a file can say, with the names by which columns are recognised.</summary>
    public static readonly IReadOnlyList<(string Field, string Words, string[] Names)> Fields =
    [
        (
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
            ]
        ),
        ("amount", "Amount", ["amount", "total", "price", "paid", "gross", "value", "sum"]),
        ("currency", "Currency", ["currency", "currency code"]),
        ("product", "Product", ["product", "product name", "item", "item name", "description"]),
        ("email", "E-mail", ["email", "e-mail", "customer email", "buyer email", "email address"]),
        ("date", "Date or time", ["date", "time", "created", "created at", "paid at", "day"]),
        ("type", "Sale or refund", ["type", "kind"]),
        ("line", "Line or refund number", ["line", "line id", "refund", "refund id"]),
    ];

    /// <summary>Every line, good or bad; and what is wrong with the file as a whole.</summary>
    /// <param name="chosen">The column of a field as the owner chose it; a field that is absent is guessed.</param>
    /// <param name="usualCurrency">Where no column names one.</param>
    /// <param name="known">Which of these were told before.</param>
    /// <param name="fit">A refund in its order's currency, by the rates of its day and the currency in which the file
    /// names the order; null where there is no rate.</param>
    public static SaleFileRead Read(
        string text,
        IReadOnlyDictionary<string, string> chosen,
        string usualCurrency,
        TimeZoneInfo zone,
        DateTimeOffset now,
        Func<IReadOnlyCollection<SaleNotice>, IReadOnlySet<SaleNotice>> known,
        Func<SaleNotice, DateTimeOffset, string?, SaleNotice?> fit
    )
    {
        var table = CsvTable.Read(text, MaxTextLength, MaxRows);
        var mapping = Map(table.Columns, chosen);
        if (table.Lines.Count > 0 && Missing(mapping) is { } missing)
            return new(table.Columns, mapping, [], missing);
        var seen = new HashSet<Guid>();
        var places = mapping.ToDictionary(field => field.Key, field => table.Find(field.Value));
        SaleRow[] rows = [.. table.Lines.Select(line => Row(new(line, places), usualCurrency, zone, now, seen))];
        if (table.Problem is not null)
            return new(table.Columns, mapping, rows, table.Problem);
        var told = known([.. rows.Select(row => row.Notice).OfType<SaleNotice>()]);
        var sold = rows.Where(row => row.Notice is { Kind: SaleKind.Sale })
            .GroupBy(row => row.Order)
            .ToDictionary(order => order.Key, order => order.First().Notice!.Currency);
        return new(table.Columns, mapping, [.. rows.Select(Settled)], null);

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

    private static string? Missing(Dictionary<string, string> mapping)
    {
        string[] missing =
        [
            .. Fields
                .Where(field => field.Field is "order" or "amount" && !mapping.ContainsKey(field.Field))
                .Select(field => field.Words.ToLowerInvariant()),
        ];
        return missing.Length == 0 ? null : $"Choose the column for the {string.Join(" and which the ", missing)}.";
    }

    private static Dictionary<string, string> Map(
        IReadOnlyList<string> columns,
        IReadOnlyDictionary<string, string> chosen
    )
    {
        var mapping = new Dictionary<string, string>();
        foreach (var (field, _, names) in Fields)
        {
            var column = chosen.TryGetValue(field, out var said)
                ? columns.FirstOrDefault(column => column == said)
                : names
                    .Select(name => columns.FirstOrDefault(column => Plain(column) == name))
                    .FirstOrDefault(column => column is not null);
            if (column is not null)
                mapping[field] = column;
        }
        return mapping;

        static string Plain(string column) => column.Trim().ToLowerInvariant().Replace('_', ' ');
    }

    /// <summary>A line whose cells are known by what they mean.</summary>
    private sealed record Cells(CsvLine Line, Dictionary<string, int> Places)
    {
        public string this[string field] => Line[Places.GetValueOrDefault(field, -1)];
    }

    private static SaleRow Row(
        Cells cells,
        string usualCurrency,
        TimeZoneInfo zone,
        DateTimeOffset now,
        HashSet<Guid> seen
    )
    {
        var (line, order, amount) = (cells.Line.Number, cells["order"], cells["amount"]);
        SaleRow Bad(string problem) => new(line, order, amount, null, default, false, problem);
        var (notice, _, problem) = SaleNotice.Read(field => Told(cells, field, usualCurrency), SaleChannel.File);
        if (notice is null)
            return Bad(problem);
        var (at, dateProblem) = Moment(cells["date"], zone);
        if (dateProblem is not null)
            return Bad(dateProblem);
        if (at > now)
            return Bad("This date is in the future.");
        if (!seen.Add(notice.Id()))
            return Bad("This order and line are in the file twice.");
        return new(line, order, amount, notice, at ?? now, false, null);
    }

    private static string? Told(Cells cells, string field, string usualCurrency)
    {
        var amount = cells["amount"];
        var isBack =
            amount is ['-' or '−', ..] || cells["type"].ToLowerInvariant() is "refund" or "refunded" or "chargeback";
        return field switch
        {
            "type" => isBack ? "refund" : "sale",
            "amount" => amount.TrimStart('-', '−'),
            "currency" => cells["currency"] is { Length: > 0 } code ? code : usualCurrency,
            "line" or "refund" => cells["line"],
            "page" => null,
            _ => cells[field],
        };
    }

    private static (DateTimeOffset? At, string? Problem) Moment(string written, TimeZoneInfo zone)
    {
        if (written.Length == 0)
            return (null, null);
        var (local, problem) = LocalMoment.Parse(written, zone);
        if (local is not null)
            return (local, null);
        var isExact = DateTimeOffset.TryParse(
            written,
            CultureInfo.InvariantCulture,
            DateTimeStyles.AssumeUniversal,
            out var exact
        );
        return isExact ? (exact, null) : (null, problem ?? "Write the day like 2026-11-09.");
    }
}
