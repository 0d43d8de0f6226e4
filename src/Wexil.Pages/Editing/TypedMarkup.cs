using System.Text;
using AngleSharp.Dom;
using Wexil.Pages.Source;

namespace Wexil.Pages.Editing;

/// <summary>
/// Turns what a browser says an edited element holds into source. Of elements that the page had, the page's own source
/// is kept (they are known by their number); of new ones only plain emphasis and line breaks; text that was not touched
/// stays as it was written.
/// </summary>
internal static class TypedMarkup
{
    public const string NumberAttribute = "data-wx";

    private static readonly HashSet<string> Dropped =
    [
        "script",
        "style",
        "iframe",
        "object",
        "embed",
        "link",
        "meta",
        "form",
        "input",
        "template",
        "base",
    ];

    // Kept whole: nothing in them is edited as text of what holds them.
    private static readonly HashSet<string> Opaque =
    [
        "script",
        "style",
        "svg",
        "img",
        "picture",
        "video",
        "audio",
        "iframe",
        "object",
        "input",
        "select",
        "textarea",
        "noscript",
        "canvas",
        "form",
        "table",
    ];

    public static string Rebuild(SourceMap map, SourceElement host, string html)
    {
        var texts = new Dictionary<string, string>(StringComparer.Ordinal);
        Remember(map, host, texts);
        var keepsSpaces = host.Element.TextContent.Contains('\u00A0', StringComparison.Ordinal);
        var writer = new Writer(map, host, texts, keepsSpaces);
        writer.Write(BoundedParser.Fragment(html, host.Element));
        // What a browser leaves behind when the last word is deleted is no line of its own.
        return writer.Result is "<br>" ? "" : writer.Result;
    }

    /// <param name="texts">By what a browser shows of a text, how the page has it in its source.</param>
    private sealed class Writer(SourceMap map, SourceElement host, Dictionary<string, string> texts, bool keepsSpaces)
    {
        private readonly StringBuilder _result = new();

        public string Result => _result.ToString();

        public void Write(IEnumerable<INode> children)
        {
            foreach (var child in children)
            {
                if (child is IText text)
                    _result.Append(Written(text.Data));
                else if (child is IElement element)
                    Write(element);
            }
        }

        private string Written(string data)
        {
            // What a page breaks off with would swallow whatever comes behind it now.
            if (texts.TryGetValue(data, out var written) && !written.EndsWith("</", StringComparison.Ordinal))
                return written;
            return HtmlText.Encode(keepsSpaces ? data : data.Replace('\u00A0', ' '));
        }

        private void Write(IElement element)
        {
            if (Own(element) is { } own)
                WriteOwn(own, element);
            else if (element.LocalName == "br")
                _result.Append("<br>");
            else if (InlineTags.Emphasis.Contains(element.LocalName))
            {
                _result.Append('<').Append(element.LocalName).Append('>');
                Write(element.ChildNodes);
                _result.Append("</").Append(element.LocalName).Append('>');
            }
            else if (!Dropped.Contains(element.LocalName))
            {
                // A browser wraps a new line in a block of its own.
                if (element.LocalName is "div" or "p" && _result.Length > 0)
                    _result.Append("<br>");
                Write(element.ChildNodes);
            }
        }

        private void WriteOwn(SourceElement own, IElement element)
        {
            if (Opaque.Contains(own.Name))
            {
                _result.Append(map.Outer(own));
                return;
            }
            _result.Append(map.Source, own.Start, own.OpenEnd - own.Start);
            Write(element.ChildNodes);
            _result.Append(map.Source, own.CloseStart, own.End - own.CloseStart);
        }

        private SourceElement? Own(IElement element) =>
            int.TryParse(element.GetAttribute(NumberAttribute), out var id)
            && map.Find(id) is { IsWhole: true } own
            && own.Start >= host.OpenEnd
            && own.End <= host.CloseStart
            && own.Name == element.LocalName
                ? own
                : null;
    }

    private static void Remember(SourceMap map, SourceElement element, Dictionary<string, string> texts)
    {
        var place = element.OpenEnd;
        foreach (var child in element.Element.Children)
        {
            if (map.Find(child) is not { } held)
                continue;
            Gap(place, held.Start);
            place = Math.Max(place, held.End);
            Remember(map, held, texts);
        }
        Gap(place, element.CloseStart);

        void Gap(int start, int end)
        {
            if (start >= end)
                return;
            var written = map.Source[start..end];
            texts.TryAdd(HtmlText.Decode(written).ReplaceLineEndings("\n"), written);
        }
    }
}
