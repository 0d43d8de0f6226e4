using System.Globalization;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Sales;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Sources;

/// <summary>A line of a file of costs: what it says, or what is wrong with it.</summary>
/// <param name="Before">What is known of the day already; null for nothing.</param>
/// <param name="IsBesideClicks">The source costs something a click as well; both count.</param>
public sealed record CostRow(
    int Line,
    string Source,
    string Day,
    string Amount,
    DayCost? Cost,
    long? Before,
    bool IsBesideClicks,
    string? Problem
)
{
    public bool Changes => Cost is not null && Cost.Amount != Before;
}

/// <summary>Reads spend by day and source from CSV.</summary>
public static class CostFile
{
    /// <summary>What a file can say.</summary>
    public static readonly TableKind Kind = new(
        "costs",
        [
            new("date", "Day", ["date", "day", "date start", "start date"], IsNeeded: true),
            new(
                "source",
                "Tag of the source",
                ["source", "tag", "utm source", "campaign", "campaign name"],
                IsNeeded: true
            ),
            new("spend", "Amount spent", ["spend", "spent", "cost", "costs", "amount spent", "amount"], IsNeeded: true),
            new("currency", "Currency", ["currency", "currency code"]),
        ],
        Amount: "spend",
        Day: "date"
    );

    /// <summary>Every line, good or bad; none where something is to be chosen first.</summary>
    /// <param name="sources">The funnel's, as the Sources screen lists them.</param>
    /// <param name="rates">Into the owner's currency; a cost in another one counts by the rate of its day.</param>
    public static IReadOnlyList<CostRow> Read(
        TableFile file,
        IReadOnlyList<SourceLine> sources,
        IReadOnlyDictionary<(SourceId, DateOnly), long> known,
        ExchangeRates rates,
        DateOnly today
    )
    {
        if (file.IsUnclear)
            return [];
        var reading = new Reading(file, sources, known, rates, today, []);
        return [.. file.Lines.Select(line => Row(reading, line))];
    }

    private sealed record Reading(
        TableFile File,
        IReadOnlyList<SourceLine> Sources,
        IReadOnlyDictionary<(SourceId, DateOnly), long> Known,
        ExchangeRates Rates,
        DateOnly Today,
        HashSet<(SourceId, DateOnly)> Seen
    );

    private static CostRow Row(Reading reading, CsvLine line)
    {
        var file = reading.File;
        var tag = file.Cell(line, "source");
        CostRow Bad(string problem) =>
            new(line.Number, tag, file.Cell(line, "date"), file.Cell(line, "spend"), null, null, false, problem);
        var (date, dayProblem) = Day(file, line, reading.Today);
        if (dayProblem is not null)
            return Bad(dayProblem);
        var source = reading.Sources.FirstOrDefault(known =>
            tag.Equals(known.Source?.Tag, StringComparison.OrdinalIgnoreCase)
        );
        if (source?.Source is not { } named)
            return Bad($"No source has the tag {tag}.");
        var (worth, shown, problem) = Spent(file, line, reading.Rates, date);
        if (problem is not null)
            return Bad(problem);
        if (!reading.Seen.Add((named.Id, date)))
            return Bad("This day and source are in the file twice.");
        return new(
            line.Number,
            tag,
            Locale.Current.Day(date),
            shown,
            new(named.Id, date, worth),
            reading.Known.TryGetValue((named.Id, date), out var before) ? before : null,
            source.CostsAClick,
            null
        );
    }

    private static (DateOnly Day, string? Problem) Day(TableFile file, CsvLine line, DateOnly today)
    {
        var (written, problem) = file.Day(line);
        if (problem is not null)
            return (default, problem);
        // Some files write the hour of the day too.
        var isDay = DateTime.TryParseExact(
            written,
            ["yyyy-MM-dd", "yyyy-MM-dd HH:mm:ss"],
            CultureInfo.InvariantCulture,
            DateTimeStyles.None,
            out var time
        );
        if (!isDay)
            return (default, "Write the day like 2026-11-09.");
        var day = DateOnly.FromDateTime(time);
        return (day, day > today ? "This date is in the future." : null);
    }

    /// <returns>What it is worth in the owner's currency, and both amounts in words.</returns>
    private static (long Worth, string Shown, string? Problem) Spent(
        TableFile file,
        CsvLine line,
        ExchangeRates rates,
        DateOnly day
    )
    {
        static (long, string, string?) Bad(string problem) => (0, "", problem);
        var code = file.Cell(line, "currency") is { Length: > 0 } cell ? cell : file.CurrencyOfColumn ?? rates.Own.Code;
        if (Currency.Find(code.ToUpperInvariant()) is not { } currency)
            return Bad("Unknown currency. Use three letters such as USD.");
        var (amount, problem) = file.Amount(line, currency);
        if (problem is not null)
            return Bad(problem);
        if (currency.Parse(amount) is not { } spent)
            return Bad("Write the amount like 12.50.");
        if (rates.Worth(currency.Code, spent, day) is not { } worth)
            return Bad($"There is no exchange rate for {currency.Code} on that day. Set one in Settings.");
        var own = rates.Own.Show(worth);
        return (worth, currency == rates.Own ? own : $"{currency.Show(spent)} = {own}", null);
    }
}
