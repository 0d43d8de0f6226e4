using System.Text.RegularExpressions;
using Wexil.App.Wording;

namespace Wexil.Web.Studio.Shared;

/// <summary>A line of a table.</summary>
/// <param name="Number">Counted in the file, from 1.</param>
public sealed record CsvLine(int Number, IReadOnlyList<string> Cells)
{
    /// <summary>The cell of a column by its place, without space around it; empty where there is none.</summary>
    public string this[int column] => column >= 0 && column < Cells.Count ? Cells[column] : "";
}

/// <summary>
/// A table as somebody sends it: the first line names the columns, and commas, semicolons or tabs stand between the
/// cells.
/// </summary>
/// <param name="Lines">Those below the names of the columns, as far as they can be read.</param>
/// <param name="Problem">What is wrong with the table as a whole; null for nothing.</param>
public sealed partial record CsvTable(IReadOnlyList<string> Columns, IReadOnlyList<CsvLine> Lines, string? Problem)
{
    private const char ByteOrderMark = '\ufeff';

    /// <summary>What may stand between cells; where a line has as many of two, the first.</summary>
    private static readonly char[] Delimiters = [',', ';', '\t'];

    /// <summary>The place of the column of this name, capitals or not; -1 where there is none.</summary>
    public int Find(params string[] names)
    {
        for (var i = 0; i < Columns.Count; i++)
            if (names.Contains(Columns[i], StringComparer.OrdinalIgnoreCase))
                return i;
        return -1;
    }

    /// <param name="maxLength">In characters.</param>
    public static CsvTable Read(string text, int maxLength, int maxLines)
    {
        if (string.IsNullOrWhiteSpace(text))
            return new([], [], "Choose a file, or paste its lines.");
        if (text.Length > maxLength)
            return new([], [], $"The file is larger than {Size(maxLength)}. Split it and import the parts.");
        text = text.TrimStart(ByteOrderMark);
        if (StatedDelimiter().Match(text) is { Success: true } stated)
            text = text[stated.Length..];
        var reader = new CsvLines(text, DelimiterOf(text));
        var columns = reader.Next()?.Cells ?? [];
        var lines = new List<CsvLine>();
        while (reader.Next() is { } line)
        {
            if (lines.Count == maxLines)
                return new(
                    columns,
                    lines,
                    $"Only the first {Locale.Current.Number(maxLines, 0)} lines can be imported at once."
                );
            lines.Add(line);
        }
        return new(columns, lines, lines.Count == 0 ? "The file has no lines after the header." : null);
    }

    private static char DelimiterOf(string text)
    {
        var header = text.AsSpan().TrimStart("\r\n ");
        header = header.IndexOfAny('\r', '\n') is >= 0 and var end ? header[..end] : header;
        var delimiter = Delimiters[0];
        foreach (var other in Delimiters)
            if (header.Count(other) > header.Count(delimiter))
                delimiter = other;
        return delimiter;
    }

    // A line that is for spreadsheet programs only.
    [GeneratedRegex(@"^sep=.\r?\n", RegexOptions.IgnoreCase)]
    private static partial Regex StatedDelimiter();

    /// <summary>In words: "512 KB".</summary>
    public static string Size(int bytes) => bytes < 1 << 20 ? $"{bytes >> 10} KB" : $"{bytes >> 20} MB";
}
