using System.Globalization;
using System.Text.RegularExpressions;
using AngleSharp.Dom;
using Wexil.Core.Common;
using Wexil.Pages.Editing;
using Wexil.Pages.Source;

namespace Wexil.Pages.Serving;

/// <summary>How a hosted page is made ready.</summary>
/// <param name="Path">Where the source lies in the page's folder: "index.html" or "en/index.html".</param>
/// <param name="Folder">The absolute path of the page's folder, ending in a slash: "/p/calendar/".</param>
/// <param name="Asset">The address by content of a file of the page's folder, for those that have one.</param>
/// <param name="Has">Is there a file of this path in the page's folder? By it, paths from the root of the site that the
/// page came from are found.</param>
/// <param name="Wiring">What its forms and buttons are wired to.</param>
/// <param name="View">Who looks at it.</param>
public sealed record PageServing(
    string Path,
    string Folder,
    WiringPlan Wiring,
    Func<string, string?>? Asset = null,
    PageView View = PageView.Visitor,
    Func<string, bool>? Has = null
)
{
    /// <summary>Markup put in front of everything, in the editor.</summary>
    public string Ahead { get; init; } = "";

    /// <summary>
    /// The stretch of the page that can be changed in the editor, where that is not all of it; its elements are
    /// numbered by themselves.
    /// </summary>
    public (int Start, int End)? Editable { get; init; }
}

/// <summary>Who a page is written for.</summary>
public enum PageView
{
    /// <summary>A visitor: the page as it came, wired.</summary>
    Visitor,

    /// <summary>
    /// The owner, looking: no pictures that are there to count a visit, nothing that leads away by itself.
    /// </summary>
    Preview,

    /// <summary>The owner, changing it: as a preview, and each element carries its number.</summary>
    Editor,
}

/// <summary>A page ready to be sent.</summary>
/// <param name="BuyTargets">Where each of the page's buy buttons leads, in order; empty when it names nothing but the
/// next step.</param>
public sealed record ReadyPage(string Html, IReadOnlyList<string> BuyTargets);

/// <summary>
/// Makes a hosted page ready to be shown at its step's link: relative references point into the page's own folder,
/// opt-in forms and buy buttons know the page that they stand on. Every other character stays as it came.
/// </summary>
public static partial class HostedHtml
{
    /// <summary>A field that people do not see and programs fill in.</summary>
    public const string TrapField = "wx_leave_empty";

    private const string Trap =
        $"<span style=\"position:absolute;left:-9999px\" aria-hidden=\"true\"><input name=\"{TrapField}\" "
        + "tabindex=\"-1\" autocomplete=\"off\"></span>";

    private static readonly Dictionary<string, string[]> References = new(StringComparer.Ordinal)
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
        ["body"] = ["background"],
        ["table"] = ["background"],
        ["td"] = ["background"],
    };

    /// <summary>Makes a page ready for visitors; what is not wired stays as it came.</summary>
    public static ReadyPage Prepare(string html, PageServing serving)
    {
        var targets = new List<string>();
        return new(Edits(SourceMap.Parse(html), serving, targets).Apply(), targets);
    }

    /// <summary>What is changed of a whole page to make it ready.</summary>
    /// <param name="targets">Where the page's buy buttons lead; those not yet in it are added.</param>
    internal static SourceEdits Edits(SourceMap map, PageServing serving, List<string> targets)
    {
        var edits = new SourceEdits(map.Source);
        if (serving.Ahead.Length > 0)
            edits.Insert(AheadOf(map), serving.Ahead);
        MakeReady(map, map.Elements, edits, serving, targets);
        return edits;
    }

    /// <summary>A stretch of a page made ready, as it stands in the whole page.</summary>
    internal static string PrepareStretch(SourceMap map, int start, int end, PageServing serving)
    {
        var edits = new SourceEdits(map.Source);
        var nodes = map.Elements.Where(element => element.Start >= start && element.Start < end);
        MakeReady(map, nodes, edits, serving, []);
        return edits.Apply(start, end);
    }

    private static void MakeReady(
        SourceMap map,
        IEnumerable<SourceElement> nodes,
        SourceEdits edits,
        PageServing serving,
        List<string> targets
    )
    {
        var html = map.Source;
        var based = map.Document.QuerySelector("base[href]");
        var resolver = new Resolver(new Uri("http://page.invalid" + serving.Folder + serving.Path), serving);
        var canonical = $"{serving.Wiring.Origin}/go/{serving.Wiring.Link}";
        foreach (var node in nodes)
        {
            var (element, tag) = (node.Element, node.Tag);
            if (serving.View == PageView.Editor)
                MakeEditable(map, edits, node, serving.Editable);
            else if (StartLines.Are(element))
            {
                // They came along with the source of an outside page; here they have nothing to begin.
                edits.Replace(node.Start, node.End, "");
                continue;
            }
            if (element == based && tag["href"] is { } baseHref)
                Splice(edits, html, baseHref, value => resolver.Absolute(value, asset: false));
            else if (node.Name == "link" && IsCanonical(element))
                Attributes.Set(edits, html, tag, "href", canonical);
            else if (serving.View != PageView.Visitor && IsForVisitorsOnly(element))
                Silence(edits, node);
            else if (WiredField(node, serving) is { } field)
                WireForm(map, edits, node, field, serving);
            else if (node.Name is "a" or "area" && Wiring.RoleOf(element, serving.Wiring) is { } role)
                WireLink(edits, html, node, role, serving, targets);
            else if (based is null)
                SpliceReferences(html, edits, node, resolver);
            if (based is null)
                SpliceStyles(html, edits, node, resolver);
        }
    }

    /// <summary>Gives an element its number, where it can be changed.</summary>
    private static void MakeEditable(
        SourceMap map,
        SourceEdits edits,
        SourceElement node,
        (int Start, int End)? editable
    )
    {
        if (editable is not { } stretch)
            edits.Insert(node.Tag.NameEnd, Number(node.Id));
        else if (node.Start >= stretch.Start && node.Start < stretch.End)
            edits.Insert(node.Tag.NameEnd, Number(node.Id - map.CountBefore(stretch.Start)));
    }

    private static string Number(int number) =>
        $" {TypedMarkup.NumberAttribute}=\"{number.ToString(CultureInfo.InvariantCulture)}\"";

    /// <summary>
    /// Does a script build addresses, so that the page must be shown at its own address to find its files?
    /// </summary>
    public static bool BuildsAddresses(string script) => AddressBuilding().IsMatch(script);

    /// <summary>The scripts that stand in the page itself.</summary>
    public static IEnumerable<string> InlineScripts(string html) =>
        SourceMap.Parse(html).Document.QuerySelectorAll("script:not([src])").Select(script => script.TextContent);

    /// <summary>The page's title, or its first heading; null when it has neither.</summary>
    public static string? Title(string html)
    {
        var document = SourceMap.Parse(html).Document;
        var title = document.Title?.Trim() is { Length: > 0 } named ? named : document.QuerySelector("h1")?.TextContent;
        return string.IsNullOrWhiteSpace(title) ? null : HtmlText.Collapse(title);
    }

    /// <summary>
    /// A style sheet of a page whose paths from the root of the site that it came from lead into the page's folder.
    /// </summary>
    public static string RootedStyles(string css, string folder, Func<string, bool> has) =>
        StyleUrl()
            .Replace(css, match =>
                match.Groups[1].Value
                + (match.Groups[2].Value is ['/', ..] path ? Rooted(path, folder, has) ?? path : match.Groups[2].Value)
            );

    /// <summary>
    /// A path from the root of a site ("/icon.svg") as it is found in the page's folder; null where the page has no
    /// such file.
    /// </summary>
    private static string? Rooted(string path, string folder, Func<string, bool>? has)
    {
        if (
            has is null
            || path.StartsWith("//", StringComparison.Ordinal)
            || path.StartsWith(folder, StringComparison.Ordinal)
        )
            return null;
        var file = path[1..].Split('?', '#')[0];
        return file.Length > 0 && has(Uri.UnescapeDataString(HtmlText.Decode(file))) ? folder + path[1..] : null;
    }

    private static void SpliceReferences(string html, SourceEdits edits, SourceElement node, Resolver resolver)
    {
        if (!References.TryGetValue(node.Name, out var names))
            return;
        foreach (var name in names)
        {
            if (node.Tag[name] is not { } attribute)
                continue;
            Splice(edits, html, attribute, value =>
                name.EndsWith("srcset", StringComparison.Ordinal)
                    ? resolver.AbsoluteSet(value)
                    : resolver.Absolute(value)
            );
        }
    }

    private static void SpliceStyles(string html, SourceEdits edits, SourceElement node, Resolver resolver)
    {
        if (node.Tag["style"] is { } style)
            Splice(edits, html, style, resolver.AbsoluteStyles);
        if (node.Name != "style")
            return;
        var css = html[node.OpenEnd..node.CloseStart];
        var spliced = resolver.AbsoluteStyles(css);
        if (spliced != css)
            edits.Replace(node.OpenEnd, node.CloseStart, spliced);
    }

    /// <summary>The e-mail field of a form that Wexil takes the sign-ups of; null for any other element.</summary>
    private static IElement? WiredField(SourceElement node, PageServing serving) =>
        node.Name == "form"
        && OptInForms.EmailField(node.Element) is { } field
        && OptInForms.IsWired(node.Element.GetAttribute("action")?.Trim(), serving.Wiring)
            ? field
            : null;

    private static void WireForm(
        SourceMap map,
        SourceEdits edits,
        SourceElement form,
        IElement field,
        PageServing serving
    )
    {
        Attributes.Set(edits, map.Source, form.Tag, "action", serving.Folder + "opt-in");
        Attributes.Set(edits, map.Source, form.Tag, "method", "post");
        if (string.IsNullOrEmpty(field.GetAttribute("name")) && map.Find(field) is { } written)
            Attributes.Set(edits, map.Source, written.Tag, "name", "email");
        if (serving.View != PageView.Visitor)
            return;
        edits.Insert(form.OpenEnd, Trap);
        MakeUsable(map, edits, form.Element, field);
    }

    /// <summary>
    /// Forms come with a script that took them in elsewhere: it enables the button once it is content, and needs no
    /// names. Here the button works at once, and every field that a person fills in has a name under which it is sent.
    /// </summary>
    private static void MakeUsable(SourceMap map, SourceEdits edits, IElement form, IElement email)
    {
        var names = form.QuerySelectorAll("[name]")
            .Select(field => field.GetAttribute("name")!)
            .ToHashSet(StringComparer.OrdinalIgnoreCase);
        foreach (var element in form.QuerySelectorAll("input, textarea, select, button"))
        {
            if (map.Find(element) is not { } written)
                continue;
            var type = element.GetAttribute("type")?.ToLowerInvariant()
                ?? (element.LocalName == "button" ? "submit" : "text");
            if (type is "submit" or "image")
                Enable(edits, map, written);
            else if (
                type is not ("hidden" or "button" or "reset")
                && element.LocalName != "button"
                && element != email
                && string.IsNullOrEmpty(element.GetAttribute("name"))
            )
            {
                var name = Slug.Free(
                    Slug.From(
                        element.GetAttribute("id")
                            ?? element.GetAttribute("aria-label")
                            ?? element.GetAttribute("placeholder")
                            ?? type
                    ),
                    names.Contains
                );
                names.Add(name);
                Attributes.Set(edits, map.Source, written.Tag, "name", name);
            }
        }
    }

    private static void Enable(SourceEdits edits, SourceMap map, SourceElement button)
    {
        if (button.Element.HasAttribute("disabled"))
            Attributes.Remove(edits, button.Tag, "disabled");
        if (button.Element.ClassList.Contains("disabled"))
            Attributes.Set(
                edits,
                map.Source,
                button.Tag,
                "class",
                string.Join(' ', button.Element.ClassList.Where(name => name != "disabled"))
            );
    }

    private static void WireLink(
        SourceEdits edits,
        string html,
        SourceElement link,
        string role,
        PageServing serving,
        List<string> targets
    )
    {
        if (role == Wiring.No)
        {
            Attributes.Set(edits, html, link.Tag, "href", $"/no/{serving.Wiring.Page}");
            return;
        }
        var href = link.Element.GetAttribute("href")?.Trim() ?? "";
        // Another page's buy button, or one that leads nowhere yet, leads to the next step.
        var target =
            href is ""
            || href[0] == '#'
            || Wiring.Own(href, serving.Wiring)?.StartsWith("/buy/", StringComparison.Ordinal) == true
                ? ""
                : href;
        var place = targets.IndexOf(target);
        if (place < 0)
        {
            place = targets.Count;
            targets.Add(target);
        }
        Attributes.Set(
            edits,
            html,
            link.Tag,
            "href",
            place == 0 ? $"/buy/{serving.Wiring.Page}" : $"/buy/{serving.Wiring.Page}?button={place + 1}"
        );
    }

    private static bool IsCanonical(IElement link) =>
        string.Equals(link.GetAttribute("rel"), "canonical", StringComparison.OrdinalIgnoreCase);

    /// <summary>
    /// Pictures of one pixel count a visit for somebody; a refresh or a policy in the page would act on the owner's
    /// frame.
    /// </summary>
    private static bool IsForVisitorsOnly(IElement element) =>
        element.LocalName switch
        {
            "img" or "iframe" => IsTiny(element)
                && element.GetAttribute("src")?.Contains("//", StringComparison.Ordinal) == true,
            "meta" => element.GetAttribute("http-equiv")?.ToLowerInvariant() is "refresh" or "content-security-policy",
            _ => false,
        };

    private static bool IsTiny(IElement element) =>
        element.GetAttribute("width") is "0" or "1" or "1px"
        || element.GetAttribute("height") is "0" or "1" or "1px"
        || element
            .GetAttribute("style")
            ?.Replace(" ", "", StringComparison.Ordinal)
            .Contains("display:none", StringComparison.OrdinalIgnoreCase) == true;

    private static void Silence(SourceEdits edits, SourceElement node)
    {
        foreach (var name in new[] { "src", "srcset", "http-equiv" })
            if (node.Tag[name] is { } attribute)
                edits.Replace(attribute.Start, attribute.Start + attribute.Name.Length, "data-" + attribute.Name);
    }

    private static int AheadOf(SourceMap map) =>
        map.Document.Head is { } head && map.Find(head) is { } written ? written.OpenEnd
        : map.Document.DocumentElement is { } html && map.Find(html) is { } root ? root.OpenEnd
        : PageSettings.BehindDoctype(map.Source);

    private static void Splice(SourceEdits edits, string html, SourceAttribute attribute, Func<string, string> change)
    {
        var value = html[attribute.ValueStart..attribute.ValueEnd];
        var changed = change(value);
        if (changed != value)
            edits.Replace(attribute.ValueStart, attribute.ValueEnd, changed);
    }

    private sealed class Resolver(Uri at, PageServing serving)
    {
        public string Absolute(string reference) => Absolute(reference, asset: true);

        public string Absolute(string reference, bool asset)
        {
            var trimmed = reference.Trim();
            if (trimmed.StartsWith('/') && Rooted(trimmed, serving.Folder, serving.Has) is { } rooted)
                trimmed = rooted;
            // Absolute, rooted, protocol-relative, other schemes and places on this page stay as they are.
            if (
                trimmed.Length == 0
                || trimmed[0] is '#' or '?'
                || (trimmed[0] == '/' && !trimmed.StartsWith(serving.Folder, StringComparison.Ordinal))
                || Scheme().IsMatch(trimmed)
            )
                return reference;
            if (!Uri.TryCreate(at, HtmlText.Decode(trimmed), out var absolute))
                return reference;
            if (
                asset
                && serving.Asset is { } find
                && absolute.AbsolutePath.StartsWith(serving.Folder, StringComparison.Ordinal)
                && find(Uri.UnescapeDataString(absolute.AbsolutePath[serving.Folder.Length..])) is { } address
            )
                return address + absolute.Fragment;
            return absolute.PathAndQuery.Replace("&", "&amp;", StringComparison.Ordinal) + absolute.Fragment;
        }

        public string AbsoluteSet(string set) =>
            SetCandidate().Replace(set, match => match.Groups[1].Value + Absolute(match.Groups[2].Value));

        public string AbsoluteStyles(string css) =>
            StyleUrl().Replace(css, match => match.Groups[1].Value + Absolute(match.Groups[2].Value));
    }

    [GeneratedRegex("^[a-zA-Z][a-zA-Z0-9+.-]*:")]
    private static partial Regex Scheme();

    [GeneratedRegex(@"((?:^|,)\s*)(?!data:)([^\s,]+)")]
    private static partial Regex SetCandidate();

    [GeneratedRegex(@"(url\(\s*(?:&quot;|[""'])?|@import\s+[""'])([^""')&\s]+)", RegexOptions.IgnoreCase)]
    private static partial Regex StyleUrl();

    [GeneratedRegex(
        @"\b(fetch|import|importScripts)\s*\(|\bXMLHttpRequest\b|\bnew\s+(Worker|URL)\b|\bfrom\s*[""']\."
            + @"|\.(src|href|action)\s*=[^=]"
    )]
    private static partial Regex AddressBuilding();
}
