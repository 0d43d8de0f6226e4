using System.Text;
using Wexil.Core.Pages;

namespace Wexil.Pages.Source;

/// <summary>
/// Changes to a text at places of the text as it was, applied together. Of two that overlap, the one that starts first
/// stands.
/// </summary>
internal sealed class SourceEdits(string source)
{
    private readonly SortedDictionary<(int Start, int Order), (int End, string Text)> _edits = [];
    private readonly HashSet<int> _once = [];

    public void Replace(int start, int end, string text) => _edits[(start, _edits.Count)] = (end, text);

    public void Insert(int place, string text) => Replace(place, place, text);

    /// <summary>Makes an edit unless one of the same key was made before.</summary>
    public void ReplaceOnce(Action edit, int key)
    {
        if (_once.Add(key))
            edit();
    }

    public string Apply() => _edits.Count == 0 ? source : Apply(0, source.Length);

    /// <summary>
    /// All changes as one, of the stretch from the first to the last: what was done, where the texts alone would leave
    /// that open.
    /// </summary>
    public TextChange Change()
    {
        if (_edits.Count == 0)
            return new(0, "", "");
        var (start, end) = (_edits.First().Key.Start, _edits.Values.Max(edit => edit.End));
        return new(start, source[start..end], Apply(start, end));
    }

    /// <summary>A stretch of the text with the changes made that lie in it, or at one of its ends.</summary>
    public string Apply(int from, int to) => Apply(from, to, start => start <= to);

    /// <summary>A stretch of the text with the changes made that lie in it, and not at one of its ends.</summary>
    public string ApplyWithin(int from, int to) => Apply(from, to, start => start > from && start < to);

    private string Apply(int from, int to, Func<int, bool> counts)
    {
        var result = new StringBuilder(to - from + 256);
        var place = from;
        foreach (var ((start, _), (end, text)) in _edits)
        {
            if (start < place || !counts(start))
                continue;
            result.Append(source, place, start - place).Append(text);
            place = end;
        }
        return result.Append(source, place, to - place).ToString();
    }
}
