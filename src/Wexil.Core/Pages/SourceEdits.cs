using System.Text;

namespace Wexil.Core.Pages;

/// <summary>Changes to a text at places of the text as it was, applied together.</summary>
internal sealed class SourceEdits(string source)
{
    private readonly SortedDictionary<(int Start, int Order), (int End, string Text)> _edits = [];

    public void Replace(int start, int end, string text) => _edits[(start, _edits.Count)] = (end, text);

    public void Insert(int place, string text) => Replace(place, place, text);

    public string Apply()
    {
        if (_edits.Count == 0) return source;
        var result = new StringBuilder(source.Length + 256);
        var place = 0;
        foreach (var ((start, _), (end, text)) in _edits)
        {
            if (start < place) continue;
            result.Append(source, place, start - place).Append(text);
            place = end;
        }
        return result.Append(source, place, source.Length - place).ToString();
    }
}
