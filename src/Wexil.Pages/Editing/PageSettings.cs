using Wexil.Pages.Source;

namespace Wexil.Pages.Editing;

/// <summary>
/// What a page says about itself to search engines and to those who share it, and code that it takes along.
/// </summary>
/// <param name="HeadCode">Markup that stands at the end of the head.</param>
/// <param name="BodyCode">Markup that stands at the end of the body.</param>
public sealed record PageSettings(
    string Title,
    string Description,
    string SharePicture,
    string HeadCode,
    string BodyCode
)
{
    private const string HeadMark = "head code",
        BodyMark = "body code";

    /// <summary>What a page’s source says.</summary>
    public static PageSettings Read(string source)
    {
        var document = SourceMap.Parse(source).Document;
        return new(
            document.Title ?? "",
            document.QuerySelector("meta[name=description i]")?.GetAttribute("content") ?? "",
            document.QuerySelector("meta[property='og:image']")?.GetAttribute("content") ?? "",
            Between(source, HeadMark),
            Between(source, BodyMark)
        );
    }

    internal static string Write(SourceMap map, PageSettings to)
    {
        var from = Read(map.Source);
        var edits = new SourceEdits(map.Source);
        var head = new List<string>();
        if (to.Title != from.Title)
        {
            if (map.Document.Head?.QuerySelector("title") is { } title && map.Find(title) is { } written)
                edits.Replace(written.OpenEnd, written.CloseStart, HtmlText.Encode(to.Title));
            else
                head.Add($"<title>{HtmlText.Encode(to.Title)}</title>");
        }
        if (to.Description != from.Description)
            Meta("meta[name=description i]", "name=\"description\"", to.Description);
        if (to.SharePicture != from.SharePicture)
            Meta("meta[property='og:image']", "property=\"og:image\"", to.SharePicture);
        if (
            to.HeadCode != from.HeadCode
            && !Replace(edits, map.Source, HeadMark, to.HeadCode)
            && to.HeadCode.Length > 0
        )
            head.Add(Marked(HeadMark, to.HeadCode));
        if (head.Count > 0)
            edits.Insert(HeadEnd(map), string.Concat(head.Select(line => line + "\n")));
        if (
            to.BodyCode != from.BodyCode
            && !Replace(edits, map.Source, BodyMark, to.BodyCode)
            && to.BodyCode.Length > 0
        )
            edits.Insert(BodyEnd(map), Marked(BodyMark, to.BodyCode) + "\n");
        return edits.Apply();

        void Meta(string selector, string naming, string content)
        {
            if (map.Document.QuerySelector(selector) is { } present && map.Find(present) is { } written)
                Attributes.Set(edits, map.Source, written.Tag, "content", content);
            else
                head.Add($"<meta {naming} content=\"{HtmlText.EncodeValue(content)}\">");
        }
    }

    /// <summary>The place in the source where something can be added to the head.</summary>
    internal static int HeadEnd(SourceMap map)
    {
        if (map.Document.Head is { } head)
        {
            if (map.Find(head) is { } written)
                return written.CloseStart;
            if (head.Children.Select(map.Find).LastOrDefault(child => child is not null) is { } last)
                return last.End;
        }
        if (map.Document.DocumentElement is { } html && map.Find(html) is { } root)
            return root.OpenEnd;
        return BehindDoctype(map.Source);
    }

    internal static int BehindDoctype(string source) =>
        source.TrimStart().StartsWith("<!doctype", StringComparison.OrdinalIgnoreCase)
            ? source.IndexOf('>', StringComparison.Ordinal) + 1
            : 0;

    private static int BodyEnd(SourceMap map)
    {
        var close = map.Source.LastIndexOf("</body", StringComparison.OrdinalIgnoreCase);
        return close >= 0 ? close : map.Source.Length;
    }

    private static string Marked(string mark, string code) => $"<!-- {mark} -->{code}<!-- end of {mark} -->";

    private static (int Start, int CodeStart, int CodeEnd, int End)? Find(string source, string mark)
    {
        var (open, close) = ($"<!-- {mark} -->", $"<!-- end of {mark} -->");
        var start = source.IndexOf(open, StringComparison.Ordinal);
        var end = start < 0 ? -1 : source.IndexOf(close, start, StringComparison.Ordinal);
        return end < 0 ? null : (start, start + open.Length, end, end + close.Length);
    }

    private static string Between(string source, string mark) =>
        Find(source, mark) is { } place ? source[place.CodeStart..place.CodeEnd] : "";

    private static bool Replace(SourceEdits edits, string source, string mark, string code)
    {
        if (Find(source, mark) is not { } place)
            return false;
        if (code.Length == 0)
            edits.Replace(place.Start, place.End, "");
        else
            edits.Replace(place.CodeStart, place.CodeEnd, code);
        return true;
    }
}
