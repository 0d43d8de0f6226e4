using System.Security.Cryptography;
using System.Text;
using Wexil.Core.Common;
using Wexil.Core.Tables;

namespace Wexil.Web.Studio.Shared;

/// <summary>Something that a file of a kind says in a column.</summary>
/// <param name="Name">As programs call it.</param>
/// <param name="Words">As people call it.</param>
/// <param name="Columns">Names by which its column is recognised, in small letters, the best first.</param>
public sealed record TableField(string Name, string Words, string[] Columns, bool IsNeeded = false);

/// <summary>A kind of file: what it can say, and how much of it is taken at once.</summary>
/// <param name="Name">As it is stored.</param>
/// <param name="Amount">The field that holds money; empty for none.</param>
/// <param name="Day">The field that holds a day, or a day and a time; empty for none.</param>
/// <param name="MaxLength">In characters.</param>
public sealed record TableKind(
    string Name,
    IReadOnlyList<TableField> Fields,
    string Amount = "",
    string Day = "",
    int MaxLength = 512 << 10,
    int MaxLines = 5000
);

/// <summary>What the owner chose about a file; what is absent is guessed.</summary>
public sealed class TableChoice
{
    /// <summary>The fingerprint of the header line that it was chosen for; null for whichever comes along.</summary>
    public string? Header { get; set; }

    /// <summary>By field its column; an empty one for none.</summary>
    public Dictionary<string, string?> Columns { get; set; } = [];

    public DecimalMark? Mark { get; set; }

    public DayOrder? Order { get; set; }
}

/// <summary>
/// A file as it was read: its lines, which column means what, and how it writes amounts and days. All lines are read in
/// one way: the one that some of them prove, or that the owner chose.
/// </summary>
public sealed class TableFile
{
    private readonly CsvTable _table;
    private readonly TableKind _kind;
    private readonly Dictionary<string, int> _places;
    private readonly DecimalMark? _mark;
    private readonly DayOrder? _order;
    private readonly List<(string Field, string Problem)> _problems = [];

    /// <param name="known">The mappings that the owner confirmed before.</param>
    public TableFile(string text, TableKind kind, TableChoice choice, IEnumerable<TableMapping> known)
    {
        (_table, _kind, Text) = (CsvTable.Read(text, kind.MaxLength, kind.MaxLines), kind, text);
        // What was chosen for one file says nothing about the next one, which may have other columns.
        if (choice.Header is { } header && header != Header)
            choice = new();
        var remembered = known.FirstOrDefault(mapping => mapping.IsFor(kind.Name, Columns));
        Fields = Map(choice, remembered);
        _places = Fields.ToDictionary(field => field.Key, field => _table.Find(field.Value));
        if (Columns.Count > 0 && Missing() is { } missing)
            _problems.Add(("Csv", missing));
        if (_table.Problem is { } problem)
            _problems.Add(("Csv", problem));
        string[] amounts = [.. Lines.Select(line => Cell(line, kind.Amount))];
        string[] days = [.. Lines.Select(line => Cell(line, kind.Day))];
        var marks = Proven(amounts.Select(WrittenAmount.MarkOf));
        var orders = Proven(days.Select(WrittenDay.OrderOf));
        var (amount, day) = (Array.Find(amounts, WrittenAmount.IsAmbiguous), Array.Find(days, WrittenDay.IsAmbiguous));
        AsksMark = marks.Length > 1 || marks.Length == 0 && amount is not null;
        AsksOrder = orders.Length > 1 || orders.Length == 0 && day is not null;
        // What the lines prove needs no choice, and an earlier one must not stand against it.
        _mark = marks is [var mark] ? mark : choice.Mark ?? remembered?.Mark;
        _order = orders is [var order] ? order : choice.Order ?? remembered?.Order;
        if (AsksMark && _mark is null)
            _problems.Add(("Choice.Mark", MarkQuestion(amount)));
        if (AsksOrder && _order is null)
            _problems.Add(("Choice.Order", OrderQuestion(day)));
        Mapping = new(kind.Name, Columns, Fields, AsksMark ? _mark : null, AsksOrder ? _order : null);
    }

    /// <summary>As it was read.</summary>
    public string Text { get; }

    /// <summary>The header line.</summary>
    public IReadOnlyList<string> Columns => _table.Columns;

    /// <summary>A fingerprint of it, by which a form tells files apart.</summary>
    public string Header =>
        Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(string.Join('\n', Columns))));

    /// <summary>By field the column that holds it.</summary>
    public IReadOnlyDictionary<string, string> Fields { get; }

    /// <summary>What the file can say.</summary>
    public TableKind Kind => _kind;

    /// <summary>The lines below the header, as far as they can be read.</summary>
    public IReadOnlyList<CsvLine> Lines => _table.Lines;

    /// <summary>What is wrong with the file as a whole, or is to be chosen, by the form's field.</summary>
    public IReadOnlyList<(string Field, string Problem)> Problems => _problems;

    /// <summary>Nothing of it can be read before something is chosen.</summary>
    public bool IsUnclear => _problems.Exists(problem => problem.Problem != _table.Problem);

    /// <summary>The file does not tell how it writes decimals.</summary>
    public bool AsksMark { get; }

    /// <summary>The file does not tell in which order it writes days.</summary>
    public bool AsksOrder { get; }

    /// <summary>What is kept for the next file with the same header line.</summary>
    public TableMapping Mapping { get; }

    /// <summary>The cell of a field; empty where there is none.</summary>
    public string Cell(CsvLine line, string field) => line[_places.GetValueOrDefault(field, -1)];

    /// <summary>A code of a currency in brackets behind the name of the amounts' column; null for none.</summary>
    public string? CurrencyOfColumn =>
        Fields.GetValueOrDefault(_kind.Amount)?.Split('(', ')') is [_, var code, ..]
            ? Currency.Find(code.Trim().ToUpperInvariant())?.Code
            : null;

    /// <summary>
    /// The amount of a line with a point before the cents, to be read further; what is wrong where it is not written
    /// like the others.
    /// </summary>
    public (string Amount, string? Problem) Amount(CsvLine line, Currency currency)
    {
        var written = Cell(line, _kind.Amount);
        var mark = _mark ?? DecimalMark.Point;
        return WrittenAmount.MarkOf(written) is { } own && own != mark
            ? (written, "This amount is not written like the others: decimal point or decimal comma?")
            : (WrittenAmount.Normalize(written, mark, currency.Code, currency.Sign), null);
    }

    /// <summary>
    /// The day of a line like 2026-12-31, to be read further; what is wrong where it is not written like the others.
    /// </summary>
    public (string Day, string? Problem) Day(CsvLine line)
    {
        var written = Cell(line, _kind.Day);
        var order = _order ?? DayOrder.DayFirst;
        return WrittenDay.OrderOf(written) is { } own && own != order
            ? (written, "This day is not written like the others: day or month first?")
            : (WrittenDay.Normalize(written, order), null);
    }

    private Dictionary<string, string> Map(TableChoice choice, TableMapping? remembered)
    {
        var mapping = new Dictionary<string, string>();
        foreach (var field in _kind.Fields)
        {
            var isChosen = choice.Columns.TryGetValue(field.Name, out var chosen);
            var column =
                isChosen && (string.IsNullOrEmpty(chosen) || Columns.Contains(chosen))
                    ? Columns.FirstOrDefault(name => name == chosen)
                : remembered is not null ? remembered.Fields.GetValueOrDefault(field.Name)
                : field
                    .Columns.Select(name => Columns.FirstOrDefault(column => Plain(column) == name))
                    .FirstOrDefault(found => found is not null);
            if (column is not null)
                mapping[field.Name] = column;
        }
        return mapping;
    }

    private string? Missing()
    {
        string[] missing =
        [
            .. _kind
                .Fields.Where(field => field.IsNeeded && !Fields.ContainsKey(field.Name))
                .Select(field => field.Words.ToLowerInvariant()),
        ];
        return missing switch
        {
            [] => null,
            [var one] => $"Choose the column for the {one}.",
            [.. var first, var last] => $"Choose the columns for the {string.Join(", the ", first)} and the {last}.",
        };
    }

    private static T[] Proven<T>(IEnumerable<T?> all)
        where T : struct => [.. all.OfType<T>().Distinct()];

    private static string MarkQuestion(string? amount) =>
        amount is null
            ? "Some amounts have a decimal point, others a decimal comma. Choose which one is right."
            : $"{amount} can mean thousands or decimals. Choose how the file writes decimals.";

    private static string OrderQuestion(string? day) =>
        day is null
            ? "Some days begin with the day, others with the month. Choose which is right."
            : $"{day} can begin with the day or with the month. Choose which.";

    private static string Plain(string column) => column.Split('(')[0].Trim().ToLowerInvariant().Replace('_', ' ');
}
