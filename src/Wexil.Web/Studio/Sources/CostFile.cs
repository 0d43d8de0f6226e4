using System.Globalization;
using Wexil.Core.Common;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Sources;

/// <summary>A line of a file of costs: what it says, or what is wrong with it.</summary>
/// <param name="Before">What is known of the day already; null for nothing.</param>
public sealed record CostRow(
    int Line,
    string Source,
    string Day,
    string Amount,
    DayCost? Cost,
    long? Before,
    string? Problem
)
{
    public bool Changes => Cost is not null && Cost.Amount != Before;
}

/// <summary>
/// Reads spend by day from CSV with the columns <c>date</c> (2026-11-09), <c>source</c> (the tag), <c>spend</c> (12.50)
/// and, if wanted, <c>currency</c>, which must then be the owner's.
/// </summary>
public static class CostFile
{
    private static readonly string[] Needed = ["date", "source", "spend"];

    public const int MaxRows = 5000,
        MaxTextLength = 512 << 10;

    /// <summary>Every line, good or bad; and what is wrong with the file as a whole.</summary>
    public static (IReadOnlyList<CostRow> Rows, string? Problem) Read(
        string text,
        IReadOnlyList<Source> sources,
        IReadOnlyDictionary<(SourceId, DateOnly), long> known,
        Currency currency
    )
    {
        var table = CsvTable.Read(text, MaxTextLength, MaxRows);
        string[] missing = [.. Needed.Where(column => table.Find(column) < 0)];
        if (table.Columns.Count > 0 && missing.Length > 0)
            return ([], $"The header line lacks: {string.Join(" and ", missing)}. Example: " + "date,source,spend");
        var seen = new HashSet<(SourceId, DateOnly)>();
        return ([.. table.Lines.Select(line => Row(table, line, sources, known, currency, seen))], table.Problem);
    }

    private static CostRow Row(
        CsvTable table,
        CsvLine line,
        IReadOnlyList<Source> sources,
        IReadOnlyDictionary<(SourceId, DateOnly), long> known,
        Currency currency,
        HashSet<(SourceId, DateOnly)> seen
    )
    {
        var (day, tag, spend, code) = (
            line[table.Find("date")],
            line[table.Find("source")],
            line[table.Find("spend")],
            line[table.Find("currency")]
        );
        CostRow Bad(string problem) => new(line.Number, tag, day, spend, null, null, problem);
        if (!DateOnly.TryParseExact(day, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var date))
            return Bad("Write the day like 2026-11-09.");
        if (
            sources.FirstOrDefault(known => known.Tag.Equals(tag, StringComparison.OrdinalIgnoreCase)) is not { } source
        )
            return Bad($"No source has the tag {tag}.");
        if (code.Length > 0 && !code.Equals(currency.Code, StringComparison.OrdinalIgnoreCase))
            return Bad($"The amount is in {code}, but your currency is {currency.Code}.");
        if (currency.Parse(spend) is not { } amount)
            return Bad("Write the amount like 12.50.");
        if (!seen.Add((source.Id, date)))
            return Bad("This day and source are in the file twice.");
        return new(
            line.Number,
            tag,
            day,
            spend,
            new(source.Id, date, amount),
            known.TryGetValue((source.Id, date), out var before) ? before : null,
            null
        );
    }
}
