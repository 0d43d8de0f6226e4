using System.Text;

namespace Wexil.Web.Studio.Shared;

/// <summary>
/// Reads lines of cells in one pass. The library that writes tables takes time by the square of a line whose cells have
/// quotes in their midst, which anybody may send.
/// </summary>
/// <param name="delimiter">What stands between cells.</param>
internal sealed class CsvLines(string text, char delimiter)
{
    private const char Quote = '"';

    private readonly StringBuilder _cell = new();
    private int _at,
        _line = 1;

    /// <summary>The next line that is not empty; null at the end. A quoted cell may hold several lines.</summary>
    public CsvLine? Next()
    {
        while (_at < text.Length)
        {
            var number = _line;
            var cells = new List<string>();
            do cells.Add(Cell());
            while (Took(delimiter));
            EndLine();
            if (cells is not [""])
                return new(number, cells);
        }
        return null;
    }

    private string Cell()
    {
        while (_at < text.Length && text[_at] != delimiter && text[_at] is ' ' or '\t')
            _at++;
        _cell.Clear();
        var quoted = Took(Quote) ? Quoted() : "";
        var start = _at;
        while (_at < text.Length && text[_at] != delimiter && text[_at] is not ('\r' or '\n'))
            _at++;
        // What stands behind the closing quote belongs to the cell.
        return quoted + text.AsSpan(start, _at - start).TrimEnd().ToString();
    }

    private string Quoted()
    {
        for (; _at < text.Length; _at++)
        {
            if (text[_at] == Quote)
            {
                _at++;
                // Two stand for one.
                if (_at >= text.Length || text[_at] != Quote)
                    return _cell.ToString();
            }
            else if (text[_at] == '\n')
                _line++;
            _cell.Append(text[_at]);
        }
        return _cell.ToString();
    }

    private bool Took(char wanted)
    {
        if (_at >= text.Length || text[_at] != wanted)
            return false;
        _at++;
        return true;
    }

    private void EndLine()
    {
        var isEnd = Took('\r');
        if (Took('\n') || isEnd)
            _line++;
    }
}
