using System.Text;

namespace Wexil.Core.Pages;

/// <summary>Changes to a text at places of the text as it was, applied together. Of two that overlap, the one that starts first stands.</summary>
internal sealed class SourceEdits(string source)
{
    private readonly SortedDictionary<(int Start, int Order), (int End, string Text)> _edits = [];
    private readonly HashSet<int> _once = [];

    public void Replace(int start, int end, string text) => _edits[(start, _edits.Count)] = (end, text);

    public void Insert(int place, string text) => Replace(place, place, text);

    /// <summary>Makes an edit unless one of the same key was made before.</summary>
    public void ReplaceOnce(Action edit, int key)
    {
        if (_once.Add(key)) edit();
    }

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
