using System.Text.RegularExpressions;
using AngleSharp.Dom;
using AngleSharp.Html.Parser;

namespace Wexil.Core.Pages;

/// <summary>
/// A hosted page made ready to be shown at its step's link: relative references point into the page's own folder, and an
/// opt-in form that leads nowhere is wired to the page. Every other character stays as it came.
/// </summary>
public static partial class HostedHtml
{
    private static readonly HtmlParser Parser = new(new HtmlParserOptions { IsKeepingSourceReferences = true, IsScripting = false });

    private static readonly Dictionary<string, string[]> Addresses = new(StringComparer.Ordinal)
    {
        ["a"] = ["href"],
        ["area"] = ["href"],
        ["link"] = ["href", "imagesrcset"],
        ["img"] = ["src", "srcset"],
        ["source"] = ["src", "srcset"],
        ["script"] = ["src"],
        ["iframe"] = ["src"],
        ["video"] = ["src", "poster"],
        ["audio"] = ["src"],
        ["track"] = ["src"],
        ["embed"] = ["src"],
        ["object"] = ["data"],
        ["input"] = ["src", "formaction"],
        ["button"] = ["formaction"],
        ["form"] = ["action"],
        ["use"] = ["href", "xlink:href"],
        ["image"] = ["href", "xlink:href"],
    };

    /// <param name="html">The page's source.</param>
    /// <param name="path">Where the source lies in the page's folder, such as "index.html" or "en/index.html".</param>
    /// <param name="folder">The absolute path of the page's folder, ending in a slash: "/p/calendar/".</param>
    public static string Prepare(string html, string path, string folder)
    {
        var document = Parser.ParseDocument(html);
        var edits = new SourceEdits(html);
        var resolver = new Uri("http://page.invalid" + folder + path);
        var based = document.QuerySelector("base[href]");
        foreach (var element in document.All)
        {
            if (Tag(html, element) is not { } tag) continue;
            if (element == based && tag["href"] is { } baseHref) Splice(edits, html, baseHref, value => Absolute(value, resolver));
            if (element is { LocalName: "form" } && LeadsNowhere(element)) WireForm(html, edits, element, tag, folder);
            else if (based is null) SpliceReferences(html, edits, element, tag, resolver);
            if (based is null && element is { LocalName: "style" }) SpliceStyles(html, edits, element, resolver);
        }
        return edits.Apply();
    }

    /// <summary>Does a script build addresses, so that the page must be shown at its own address to find its files?</summary>
    public static bool BuildsAddresses(string script) => AddressBuilding().IsMatch(script);

    /// <summary>The scripts that stand in the page itself.</summary>
    public static IEnumerable<string> InlineScripts(string html) =>
        Parser.ParseDocument(html).QuerySelectorAll("script:not([src])").Select(script => script.TextContent);

    /// <summary>The page's title, or its first heading; null when it has neither.</summary>
    public static string? Title(string html)
    {
        var document = Parser.ParseDocument(html);
        var title = document.Title?.Trim() is { Length: > 0 } named ? named : document.QuerySelector("h1")?.TextContent.Trim();
        return string.IsNullOrEmpty(title) ? null : string.Join(' ', title.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));
    }

    /// <summary>The forms on the page that ask for an e-mail address.</summary>
    public static int OptInForms(string html) => Parser.ParseDocument(html).QuerySelectorAll("form").Count(form => EmailField(form) is not null);

    private static void SpliceReferences(string html, SourceEdits edits, IElement element, StartTag tag, Uri resolver)
    {
        if (tag["style"] is { } style) Splice(edits, html, style, value => AbsoluteStyles(value, resolver));
        if (!Addresses.TryGetValue(element.LocalName, out var names)) return;
        foreach (var name in names)
        {
            if (tag[name] is not { } attribute) continue;
            Splice(edits, html, attribute, value => name.EndsWith("srcset", StringComparison.Ordinal) ? AbsoluteSet(value, resolver) : Absolute(value, resolver));
        }
    }

    private static void SpliceStyles(string html, SourceEdits edits, IElement style, Uri resolver)
    {
        var start = html.IndexOf('>', style.SourceReference!.Position.Index());
        var end = start < 0 ? -1 : html.IndexOf("</style", start, StringComparison.OrdinalIgnoreCase);
        if (end < 0) return;
        var css = html[(start + 1)..end];
        var spliced = AbsoluteStyles(css, resolver);
        if (spliced != css) edits.Replace(start + 1, end, spliced);
    }

    private static void WireForm(string html, SourceEdits edits, IElement form, StartTag tag, string folder)
    {
        Set(edits, tag, "action", folder + "opt-in");
        Set(edits, tag, "method", "post");
        var field = EmailField(form)!;
        if (string.IsNullOrEmpty(field.GetAttribute("name")) && Tag(html, field) is { } fieldTag) Set(edits, fieldTag, "name", "email");
    }

    private static bool LeadsNowhere(IElement form) =>
        EmailField(form) is not null
        && form.GetAttribute("action")?.Trim() is null or "" or "#" or "#!" or "javascript:void(0)" or "javascript:;";

    private static IElement? EmailField(IElement form) =>
        form.QuerySelector("input[type=email]") ?? form.QuerySelector("input[name*=email i]");

    private static StartTag? Tag(string html, IElement element) =>
        element.SourceReference is { } reference ? StartTag.At(html, reference.Position.Index(), element.LocalName) : null;

    private static int Index(this AngleSharp.Text.TextPosition position) => position.Position - 1;

    private static void Set(SourceEdits edits, StartTag tag, string name, string value)
    {
        if (tag[name] is { } present) edits.Replace(present.Start, present.End, $"{name}=\"{value}\"");
        else edits.Insert(tag.NameEnd, $" {name}=\"{value}\"");
    }

    private static void Splice(SourceEdits edits, string html, SourceAttribute attribute, Func<string, string> change)
    {
        var value = html[attribute.ValueStart..attribute.ValueEnd];
        var changed = change(value);
        if (changed != value) edits.Replace(attribute.ValueStart, attribute.ValueEnd, changed);
    }

    private static string Absolute(string reference, Uri resolver)
    {
        var trimmed = reference.Trim();
        // Absolute, rooted, protocol-relative, other schemes and places on this page stay as they are.
        if (trimmed.Length == 0 || trimmed[0] is '/' or '#' or '?' || Scheme().IsMatch(trimmed)) return reference;
        return Uri.TryCreate(resolver, trimmed, out var absolute) ? absolute.PathAndQuery + absolute.Fragment : reference;
    }

    private static string AbsoluteSet(string set, Uri resolver) =>
        SetCandidate().Replace(set, match => match.Groups[1].Value + Absolute(match.Groups[2].Value, resolver));

    private static string AbsoluteStyles(string css, Uri resolver) =>
        StyleUrl().Replace(css, match => match.Groups[1].Value + Absolute(match.Groups[2].Value, resolver));

    [GeneratedRegex("^[a-zA-Z][a-zA-Z0-9+.-]*:")]
    private static partial Regex Scheme();

    [GeneratedRegex(@"((?:^|,)\s*)(?!data:)([^\s,]+)")]
    private static partial Regex SetCandidate();

    [GeneratedRegex(@"(url\(\s*(?:&quot;|[""'])?|@import\s+[""'])([^""')&\s]+)", RegexOptions.IgnoreCase)]
    private static partial Regex StyleUrl();

    [GeneratedRegex(@"\b(fetch|import|importScripts)\s*\(|\bXMLHttpRequest\b|\bnew\s+(Worker|URL)\b|\bfrom\s*[""']\.|\.(src|href|action)\s*=[^=]")]
    private static partial Regex AddressBuilding();
}
