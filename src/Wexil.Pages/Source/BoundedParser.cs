using System.Diagnostics;
using AngleSharp.Dom;
using AngleSharp.Html.Dom;
using AngleSharp.Html.Parser;

namespace Wexil.Pages.Source;

/// <summary>A page that would take too long to read; the message says why, as a sentence.</summary>
public sealed class PageTooComplexException(string message) : Exception(message);

/// <summary>
/// Reads markup that anybody may have written. The time that a parser needs grows with how many elements there are and
/// how deep each stands, so that is what is counted, while it is read: what goes beyond is left at once.
/// </summary>
internal static class BoundedParser
{
    // Depths of all elements together. A page of 50,000 elements, 30 deep, has 1.5 million; this many take a second.
    private const long MostWork = 15_000_000;

    // For what the count does not see; only of pages far larger than people's, since a busy machine is no reason to
    // refuse one.
    private const long Large = 1_000_000;
    private static readonly TimeSpan MostTime = TimeSpan.FromSeconds(1);

    /// <param name="keepsPlaces">Each element says where it stands in the source.</param>
    /// <exception cref="PageTooComplexException">It would take too long.</exception>
    public static IHtmlDocument Document(string source, bool keepsPlaces = false)
    {
        var work = Begin(source);
        var document = new HtmlParser(Options(work, keepsPlaces)).ParseDocument(source);
        work.End();
        return document;
    }

    /// <summary>Reads what stands within an element.</summary>
    /// <exception cref="PageTooComplexException">It would take too long.</exception>
    public static INodeList Fragment(string source, IElement context)
    {
        var work = Begin(source);
        var nodes = new HtmlParser(Options(work, keepsPlaces: false)).ParseFragment(source, context);
        work.End();
        return nodes;
    }

    /// <summary>
    /// What can be told of a source before it is read, which takes a tenth of the time: for one that is typed.
    /// </summary>
    /// <exception cref="PageTooComplexException">Reading it would take too long.</exception>
    public static void Check(string source)
    {
        var measure = MarkupMeasure.Of(source);
        if (measure.Open > PageSource.MaxDepth)
            throw new PageTooComplexException(PageSource.TooDeep);
        if (measure.EndTagWork > MostWork)
            throw TooComplex();
    }

    private static Work Begin(string source)
    {
        Check(source);
        return new();
    }

    private static HtmlParserOptions Options(Work work, bool keepsPlaces) =>
        new()
        {
            IsKeepingSourceReferences = keepsPlaces,
            IsScripting = false,
            OnCreated = (element, _) => work.Note(element),
        };

    private static PageTooComplexException TooComplex() =>
        new("This page has too many elements within elements to be shown as written; remove the extra nesting.");

    /// <summary>
    /// What reading has taken so far. An element has its place only when the next one is made, and by then may hold
    /// others that the parser made by itself.
    /// </summary>
    private sealed class Work
    {
        private readonly long _began = Stopwatch.GetTimestamp();
        private IElement? _last;
        private long _done;

        public void Note(IElement made)
        {
            End();
            if (_done > Large && Stopwatch.GetElapsedTime(_began) > MostTime)
                throw TooComplex();
            _last = made;
        }

        public void End()
        {
            if (_last is null)
                return;
            var depth = 0;
            for (var above = _last.ParentElement; above is not null; above = above.ParentElement)
                depth++;
            Take(_last, depth);
            _last = null;
        }

        private void Take(IElement top, int depth)
        {
            IElement? at = top;
            while (at is not null)
            {
                if ((_done += depth + 1) > MostWork)
                    throw TooComplex();
                if (at.FirstElementChild is { } child)
                {
                    (at, depth) = (child, depth + 1);
                    continue;
                }
                while (at is not null && at != top && at.NextElementSibling is null)
                    (at, depth) = (at.ParentElement, depth - 1);
                at = at is null || at == top ? null : at.NextElementSibling;
            }
        }
    }
}
