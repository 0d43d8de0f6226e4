using Wexil.Pages.Editing;

namespace Wexil.App.Drafts;

/// <summary>
/// Keeps the pages that are being edited as they were read last: the next edit begins with what the one before ended
/// with.
/// </summary>
public sealed class ParsedPages
{
    private const int Kept = 6;
    private readonly Lock _lock = new();
    private readonly LinkedList<ParsedPage> _pages = [];

    /// <summary>A page’s source, taken apart; the last few are kept.</summary>
    public ParsedPage Parse(string source)
    {
        lock (_lock)
        {
            for (var node = _pages.First; node is not null; node = node.Next)
            {
                if (node.Value.Source != source)
                    continue;
                _pages.Remove(node);
                _pages.AddFirst(node);
                return node.Value;
            }
        }
        var page = ParsedPage.From(source);
        lock (_lock)
        {
            _pages.AddFirst(page);
            if (_pages.Count > Kept)
                _pages.RemoveLast();
        }
        return page;
    }
}
