using System.Globalization;
using CsvHelper;
using CsvHelper.Configuration;
using Wexil.Core.Common;
using Wexil.Core.Sales;

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
        ("date", "Day or moment", ["date", "time", "created", "created at", "paid at", "day"]),
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
        Func<IReadOnlyCollection<Guid>, IReadOnlySet<Guid>> known,
        Func<SaleNotice, DateTimeOffset, string?, SaleNotice?> fit
    )
    {
        if (string.IsNullOrWhiteSpace(text))
            return Wrong("Choose a file, or paste its lines.");
        if (text.Length > MaxTextLength)
            return Wrong("The file is longer than 512 KB. Take it in in parts.");
        using var csv = new CsvReader(
            new StringReader(text),
            new CsvConfiguration(CultureInfo.InvariantCulture)
            {
                DetectDelimiter = true,
                TrimOptions = TrimOptions.Trim,
                MissingFieldFound = null,
                BadDataFound = null,
            }
        );
        IReadOnlyList<string> columns = [];
        var mapping = new Dictionary<string, string>();
        var rows = new List<SaleRow>();
        try
        {
            if (!csv.Read() || !csv.ReadHeader())
                return Wrong("The file is empty.");
            columns = [.. csv.HeaderRecord!];
            mapping = Map(columns, chosen);
            var missing = Fields
                .Where(field => field.Field is "order" or "amount" && !mapping.ContainsKey(field.Field))
                .Select(field => field.Words.ToLowerInvariant())
                .ToArray();
            if (missing.Length > 0)
                return new(
                    columns,
                    mapping,
                    [],
                    $"Say below which column is the {string.Join(" and which the ", missing)}."
                );
            var seen = new HashSet<Guid>();
            while (csv.Read())
            {
                if (rows.Count == MaxRows)
                    return new(columns, mapping, rows, $"Only the first {MaxRows} lines can be taken in at once.");
                rows.Add(Row(csv, mapping, usualCurrency, zone, now, seen));
            }
        }
        catch (CsvHelperException)
        {
            return new(columns, mapping, rows, $"From line {csv.Parser.Row} on this is no CSV that can be read.");
        }
        if (rows.Count == 0)
            return new(columns, mapping, rows, "There is no line below the names of the columns.");
        var told = known([.. rows.Where(row => row.Notice is not null).Select(row => row.Notice!.Id())]);
        var sold = rows.Where(row => row.Notice is { Kind: SaleKind.Sale })
            .GroupBy(row => row.Order)
            .ToDictionary(order => order.Key, order => order.First().Notice!.Currency);
        return new(columns, mapping, [.. rows.Select(Settled)], null);

        SaleRow Settled(SaleRow row)
        {
            if (row.Notice is not { } notice)
                return row;
            if (told.Contains(notice.Id()))
                return row with { IsKnown = true };
            return fit(notice, row.At, sold.GetValueOrDefault(row.Order)) is { } fitting
                ? row with
                {
                    Notice = fitting,
                }
                : row with
                {
                    Notice = null,
                    Problem = "The order was in another currency, and there is no exchange rate between the two.",
                };
        }

        static SaleFileRead Wrong(string problem) => new([], new Dictionary<string, string>(), [], problem);
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

    private static SaleRow Row(
        CsvReader csv,
        Dictionary<string, string> mapping,
        string usualCurrency,
        TimeZoneInfo zone,
        DateTimeOffset now,
        HashSet<Guid> seen
    )
    {
        string Cell(string field) =>
            mapping.TryGetValue(field, out var column) && csv.TryGetField<string>(column, out var cell)
                ? cell?.Trim() ?? ""
                : "";
        var (order, amount, date) = (Cell("order"), Cell("amount"), Cell("date"));
        SaleRow Bad(string problem) => new(csv.Parser.RawRow, order, amount, null, default, false, problem);
        var back = amount.StartsWith('-') || amount.StartsWith('−');
        var (notice, _, problem) = SaleNotice.Read(
            field =>
                field switch
                {
                    "type" => back ? "refund"
                    : Cell("type").ToLowerInvariant() is "refund" or "refunded" or "chargeback" ? "refund"
                    : "sale",
                    "amount" => amount.TrimStart('-', '−'),
                    "currency" => Cell("currency") is { Length: > 0 } code ? code : usualCurrency,
                    "line" or "refund" => Cell("line"),
                    "page" => null,
                    _ => Cell(field),
                },
            SaleChannel.File
        );
        if (notice is null)
            return Bad(problem);
        var (local, dateProblem) = LocalMoment.Parse(date, zone);
        var at = local
            ?? (
                DateTimeOffset.TryParse(
                    date,
                    CultureInfo.InvariantCulture,
                    DateTimeStyles.AssumeUniversal,
                    out var exact
                )
                    ? exact
                    : null
            );
        if (date.Length > 0 && at is null)
            return Bad(dateProblem ?? "The day is not written like 2026-11-09.");
        if (at > now)
            return Bad("This lies ahead of the clock.");
        if (!seen.Add(notice.Id()))
            return Bad("The file names this order and line twice.");
        return new(csv.Parser.RawRow, order, amount, notice, at ?? now, false, null);
    }
}
