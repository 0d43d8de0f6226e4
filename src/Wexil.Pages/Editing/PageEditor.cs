using System.Text.RegularExpressions;
using AngleSharp.Dom;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;
using Wexil.Pages.Source;

namespace Wexil.Pages.Editing;

/// <summary>The source after an edit with a few words about it, or why it cannot be done.</summary>
/// <param name="Node">The number of the part that the edit was about, or made, in the new source; null where it is
/// gone.</param>
public readonly record struct Edited(string? Source, string Label, string? Problem, int? Node = null)
{
    /// <summary>What was done to the source; null where only the two sources tell.</summary>
    public TextChange? Change { get; init; }

    /// <summary>The edit cannot be done, and why in words.</summary>
    public static Edited Refuse(string problem) => new(null, "", problem);
}

/// <summary>Makes edits in a page's source. What an edit is not about stays byte for byte.</summary>
public static partial class PageEditor
{
    private const int MaxTextLength = 20_000,
        MaxValueLength = 2_000;

    // What a person can set from the panel; anything else is for the source.
    private static readonly HashSet<string> Properties =
    [
        "color",
        "background-color",
        "font-size",
        "padding",
        "border-radius",
        "text-align",
        "text-wrap",
        "width",
        "max-width",
        "font-weight",
    ];

    /// <summary>Makes an edit in a source.</summary>
    public static Edited Apply(string source, PageEdit edit) => Apply(ParsedPage.From(source), edit);

    /// <summary>The same for a page that was taken apart before.</summary>
    public static Edited Apply(ParsedPage page, PageEdit edit)
    {
        try
        {
            return Change(page, edit);
        }
        catch (PageTooComplexException error)
        {
            return Edited.Refuse(error.Message);
        }
    }

    private static Edited Change(ParsedPage page, PageEdit edit)
    {
        if (edit is PageEdit.Source typed)
        {
            BoundedParser.Check(typed.Whole);
            return new(typed.Whole, "Source", null);
        }
        var map = page.Map;
        return edit switch
        {
            PageEdit.Settings settings => new(PageSettings.Write(map, settings.To), "Page settings", null),
            PageEdit.Text text => At(map, text.Node, node => SetText(map, node, text.Html)),
            PageEdit.Picture picture => At(map, picture.Node, node => SetPicture(map, node, picture)),
            PageEdit.Background background => At(map, background.Node, node =>
                SetBackground(map, node, background.File)
            ),
            PageEdit.Address address => At(map, address.Node, node => SetAddress(map, node, address.To)),
            PageEdit.Hint hint => At(map, hint.Node, node => SetHint(map, node, hint.Words)),
            PageEdit.Look look => At(map, look.Node, node => SetLook(map, node, look.Property, look.Value)),
            PageEdit.Move move => At(map, move.Node, node => Swap(map, node, move.Down)),
            PageEdit.Duplicate duplicate => At(map, duplicate.Node, node => Copy(map, node)),
            PageEdit.Hide hide => At(map, hide.Node, node => SetShown(map, node, isShown: false)),
            PageEdit.Show show => At(map, show.Node, node => SetShown(map, node, isShown: true)),
            PageEdit.Remove remove => At(map, remove.Node, node =>
                Done(map, $"Removed {Kind(node)}", edits => Cut(edits, map, node))
            ),
            PageEdit.Insert insert => At(map, insert.Node, node => Add(map, node, insert)),
            PageEdit.Role role => At(map, role.Node, node => SetRole(map, node, role.For)),
            PageEdit.MarkSection section => At(map, section.Node, node => Mark(map, node, section)),
            PageEdit.TakeForm form => At(map, form.Node, node => TakeForm(map, node)),
            _ => throw new ArgumentOutOfRangeException(nameof(edit)),
        };
    }

    private static Edited SetHint(SourceMap map, SourceElement node, string words)
    {
        if (node.Name is not ("input" or "textarea"))
            return Edited.Refuse("Only form fields have placeholder text.");
        var attribute = node.Element.GetAttribute("type") is "submit" or "button" ? "value" : "placeholder";
        return Done(map, "Placeholder text", edits =>
            Attributes.Set(edits, map.Source, node.Tag, attribute, Short(words))
        );
    }

    private static Edited SetShown(SourceMap map, SourceElement node, bool isShown) =>
        Done(map, $"{(isShown ? "Showed" : "Hid")} {Kind(node)}", edits =>
            SetStyle(edits, map.Source, node, "display", isShown ? null : "none !important")
        );

    private static Edited TakeForm(SourceMap map, SourceElement node) =>
        node.Name == "form"
            ? Done(map, "Form connected", edits =>
                Attributes.Remove(edits, node.Tag, "action", "method", "target", "onsubmit")
            )
            : Edited.Refuse("This is not a form.");

    private static Edited Mark(SourceMap map, SourceElement node, PageEdit.MarkSection mark)
    {
        var last = mark.WithNext ? Beside(map, node, down: true) : node;
        if (last is null)
            return Edited.Refuse("There is nothing below this element to swap it with.");
        if (last != node && (!IsWhole(map, last) || last.Start < node.End))
            return Edited.Refuse(
                "The HTML of the element below is not well formed. Make a section of the element around both."
            );
        foreach (var other in SectionMark.Find(map))
        {
            if (other.Start <= node.Start && last.End <= other.End)
                return Edited.Refuse("This element is already a section, or is inside one.");
            if (other.Start < last.End && node.Start < other.End)
                return Edited.Refuse("This element contains a section. Choose an element without one.");
        }
        // Its versions are read by themselves: rows and cells are nothing without their table.
        var alone = SourceMap.Parse(map.Source[node.Start..last.End]).Elements;
        var held = map.Elements.Skip(node.Id).Where(element => element.Start < last.End);
        if (!alone.Select(element => element.Name).SequenceEqual(held.Select(element => element.Name)))
            return Edited.Refuse("Part of a table or list cannot be a section. Choose the whole table.");
        var marked = Done(map, $"Section of {Kind(node)}", edits => SetMark(edits, map, node, last, mark.Key));
        return SectionMark.Find(SourceMap.Parse(marked.Source!)).Exists(found => found.Key == mark.Key)
            ? marked
            : Edited.Refuse("The HTML between the two is not well formed. Make a section of the element around both.");
    }

    private static void SetMark(SourceEdits edits, SourceMap map, SourceElement node, SourceElement last, string key)
    {
        Attributes.Set(edits, map.Source, node.Tag, last == node ? SectionMark.Attribute : SectionMark.From, key);
        if (last != node)
            Attributes.Set(edits, map.Source, last.Tag, SectionMark.To, key);
    }

    private static Edited At(SourceMap map, int id, Func<SourceElement, Edited> change)
    {
        if (map.Find(id) is not { } node)
            return Edited.Refuse("This element is no longer on the page.");
        if (FrameTags.All.Contains(node.Name))
            return Edited.Refuse("This element belongs to the whole page; change it in the source.");
        return IsWhole(map, node)
            ? Numbered(change(node), id)
            : Edited.Refuse("The HTML is not well formed here. Edit this part in the source.");
    }

    /// <summary>
    /// Is the piece of source by itself what it is on the page? Browsers move parts of misnested tables and forms
    /// elsewhere.
    /// </summary>
    private static bool IsWhole(SourceMap map, SourceElement node)
    {
        if (!node.IsWhole)
            return false;
        var context = node.Element.ParentElement ?? node.Element;
        var nodes = BoundedParser.Fragment(map.Outer(node), context);
        var alone = nodes.OfType<IElement>().FirstOrDefault(element => element.LocalName == node.Name);
        return alone is not null
            && nodes.All(other =>
                other == alone || (other is not IElement && string.IsNullOrWhiteSpace(other.TextContent))
            )
            && alone.TextContent == node.Element.TextContent
            && alone.QuerySelectorAll("*").Length == node.Element.QuerySelectorAll("*").Length;
    }

    /// <summary>An edit that changes no start tag in front of its part leaves the part its number.</summary>
    private static Edited Numbered(Edited edited, int id) =>
        edited.Source is null || edited.Node is not null ? edited : edited with { Node = id };

    private static Edited Found(Edited edited, int place)
    {
        var elements = SourceMap.Parse(edited.Source!).Elements;
        return elements.FirstOrDefault(element => element.Start >= place) is { } part
            ? edited with
            {
                Node = part.Id,
            }
            : edited;
    }

    private static Edited Done(SourceMap map, string label, Action<SourceEdits> change)
    {
        var edits = new SourceEdits(map.Source);
        change(edits);
        return Done(edits, label);
    }

    private static Edited Done(SourceEdits edits, string label) =>
        new(edits.Apply(), label, null) { Change = edits.Change() };

    private static Edited SetText(SourceMap map, SourceElement node, string html)
    {
        if (html.Length > MaxTextLength)
            return Edited.Refuse($"At most {MaxTextLength:N0} characters at a time.");
        var inner = TypedMarkup.Rebuild(map, node, html);
        return Done(map, $"Text of {Kind(node)}", edits => edits.Replace(node.OpenEnd, node.CloseStart, inner));
    }

    private static Edited SetPicture(SourceMap map, SourceElement node, PageEdit.Picture picture)
    {
        if (node.Name != "img")
            return Edited.Refuse("This is not a picture.");
        if (picture.File is { } address && !IsSafe(address))
            return Edited.Refuse("The address of a picture must begin with http or https, or name a file of the page.");
        return Done(map, picture.File is null ? "Alt text" : "Picture", edits =>
        {
            Attributes.Set(edits, map.Source, node.Tag, "alt", Short(picture.Alternative));
            if (picture.File is null)
                return;
            Attributes.Set(edits, map.Source, node.Tag, "src", picture.File);
            // Other sizes of the old picture would be shown in the new one's place.
            Attributes.Remove(edits, node.Tag, "srcset", "sizes");
            if (node.Element.ParentElement is { LocalName: "picture" } parent)
                foreach (var other in parent.Children.Where(child => child.LocalName == "source"))
                    if (map.Find(other) is { } alternative)
                        Cut(edits, map, alternative);
        });
    }

    /// <summary>
    /// The picture behind a part may be named in a style sheet that other pages share, so this page gets a rule of its
    /// own, which is stronger. Where the part's own style names it, it is changed there.
    /// </summary>
    private static Edited SetBackground(SourceMap map, SourceElement node, string file)
    {
        if (!IsSafe(file) || file.Length == 0 || file.AsSpan().ContainsAny("'\\()"))
            return Edited.Refuse("The address of a picture must begin with http or https, or name a file of the page.");
        var own = node.Element.GetAttribute("style");
        var edits = new SourceEdits(map.Source);
        if (own is not null && UrlInStyle().Matches(own) is [var only])
            Attributes.Set(
                edits,
                map.Source,
                node.Tag,
                "style",
                string.Concat(own.AsSpan(0, only.Index), $"url('{file}')", own.AsSpan(only.Index + only.Length))
            );
        else
            SetStyle(edits, map.Source, node, "background-image", $"url('{file}') !important");
        return Done(edits, $"Background of {Kind(node)}");
    }

    private static Edited SetAddress(SourceMap map, SourceElement node, string to)
    {
        to = to.Trim();
        var name =
            node.Name is "a" or "area" ? "href"
            : node.Name is "iframe" or "video" or "audio" or "source" ? "src"
            : node.Name == "form" ? "action"
            : null;
        if (name is null)
            return Edited.Refuse("Only links, videos and forms have an address.");
        if (!IsSafe(to))
            return Edited.Refuse("The address must begin with http, https, mailto, tel, / or #.");
        return Done(map, $"Address of {Kind(node)}", edits => Attributes.Set(edits, map.Source, node.Tag, name, to));
    }

    private static Edited SetLook(SourceMap map, SourceElement node, string property, string? value)
    {
        if (!Properties.Contains(property))
            return Edited.Refuse("This cannot be set here; use the source.");
        if (value is not null && !SafeValue().IsMatch(value))
            return Edited.Refuse("This value cannot be used. Enter a color such as #2d6a3e, or a size such as 18px.");
        return Done(map, $"Style of {Kind(node)}", edits =>
            SetStyle(edits, map.Source, node, property, string.IsNullOrWhiteSpace(value) ? null : value.Trim())
        );
    }

    private static Edited SetRole(SourceMap map, SourceElement node, LinkRole role)
    {
        if (node.Name != "a")
            return Edited.Refuse("Only a link can be a buy button or a “no” link.");
        return Done(map, "Use of a link", edits =>
        {
            if (role == LinkRole.None)
                Attributes.Remove(edits, node.Tag, Wiring.RoleAttribute);
            else
                Attributes.Set(
                    edits,
                    map.Source,
                    node.Tag,
                    Wiring.RoleAttribute,
                    role == LinkRole.Buy ? Wiring.Buy : Wiring.No
                );
        });
    }

    private static Edited Swap(SourceMap map, SourceElement node, bool down)
    {
        if (Beside(map, node, down) is not { } neighbour)
            return Edited.Refuse(down ? "It is already last." : "It is already first.");
        if (!IsWhole(map, neighbour) || (down ? neighbour.Start < node.End : node.Start < neighbour.End))
            return Edited.Refuse("The HTML next to it is not well formed. Move it in the source.");
        var (first, second) = down ? (node, neighbour) : (neighbour, node);
        var moved = Done(map, $"Moved {Kind(node)} {(down ? "down" : "up")}", edits =>
        {
            edits.Replace(first.Start, first.End, map.Outer(second));
            edits.Replace(second.Start, second.End, map.Outer(first));
        });
        return Found(moved, down ? second.End - (first.End - first.Start) : first.Start);
    }

    /// <summary>The next part that a person would call one, below or above; null where there is none.</summary>
    private static SourceElement? Beside(SourceMap map, SourceElement node, bool down)
    {
        var other = node.Element;
        do other = down ? other.NextElementSibling : other.PreviousElementSibling;
        while (other is not null && (other.LocalName is "script" or "style" or "br" || map.Find(other) is null));
        return other is null ? null : map.Find(other);
    }

    private static Edited Copy(SourceMap map, SourceElement node)
    {
        // Two elements of one id would confuse the page's own styles and scripts.
        var copy = new SourceEdits(map.Outer(node));
        foreach (var held in map.Elements.Skip(node.Id).TakeWhile(element => element.Start < node.End))
            if (held.Tag["id"] is { } id)
                copy.Replace(id.Start - node.Start - 1, id.End - node.Start, "");
        return Found(
            Done(map, $"Duplicated {Kind(node)}", edits =>
                edits.Insert(node.End, Indent(map.Source, node.Start) + copy.Apply())
            ),
            node.End
        );
    }

    private static Edited Add(SourceMap map, SourceElement node, PageEdit.Insert insert)
    {
        if (Block.Find(insert.Block) is not { } block)
            return Edited.Refuse("There is no such block.");
        return Found(
            Done(map, $"Added {block.Name.ToLowerInvariant()}", edits =>
                edits.Insert(node.End, Indent(map.Source, node.Start) + block.For(map, insert.Brand))
            ),
            node.End
        );
    }

    private static void Cut(SourceEdits edits, SourceMap map, SourceElement node)
    {
        // A line that held nothing else goes with it.
        var source = map.Source;
        var start = node.Start;
        while (start > 0 && source[start - 1] is ' ' or '\t')
            start--;
        var alone =
            (start == 0 || source[start - 1] == '\n')
            && (node.End == source.Length || source[node.End] is '\n' or '\r');
        if (!alone)
            edits.Replace(node.Start, node.End, "");
        else
            edits.Replace(
                start,
                node.End < source.Length
                    ? source.IndexOf('\n', node.End) is >= 0 and var line
                        ? line + 1
                        : source.Length
                    : source.Length,
                ""
            );
    }

    private static void SetStyle(SourceEdits edits, string source, SourceElement node, string property, string? value)
    {
        var style = InlineStyle.With(node.Element.GetAttribute("style"), property, value);
        if (style.Length == 0)
            Attributes.Remove(edits, node.Tag, "style");
        else
            Attributes.Set(edits, source, node.Tag, "style", style);
    }

    private static string Indent(string source, int place)
    {
        var line = source.LastIndexOf('\n', Math.Max(0, place - 1)) + 1;
        var before = source[line..place];
        return line > 0 && string.IsNullOrWhiteSpace(before) ? "\n" + before : "";
    }

    private static string Kind(SourceElement node) =>
        node.Name switch
        {
            "h1" => "the headline",
            "h2" or "h3" or "h4" or "h5" or "h6" => "a heading",
            "p" => "a paragraph",
            "a" => "a link",
            "button" => "a button",
            "img" => "a picture",
            "li" => "a list item",
            "form" => "a form",
            "section" or "div" or "article" or "header" or "footer" or "main" or "aside" => "a section",
            _ => "an element",
        };

    private static string Short(string value) => value.Length <= MaxValueLength ? value : value[..MaxValueLength];

    private static bool IsSafe(string address) => address.Length <= MaxValueLength && SafeAddress().IsMatch(address);

    [GeneratedRegex(
        @"^(https?://|mailto:|tel:|/|#|\?|data:image/|(?![a-zA-Z][a-zA-Z0-9+.-]*:))[^\x00-\x1f""<>]*$",
        RegexOptions.IgnoreCase
    )]
    private static partial Regex SafeAddress();

    [GeneratedRegex(@"url\(\s*(?:'[^']*'|""[^""]*""|[^'""()\s]*)\s*\)", RegexOptions.IgnoreCase)]
    private static partial Regex UrlInStyle();

    [GeneratedRegex(@"^[#a-zA-Z0-9 .,%()/-]{0,80}$")]
    private static partial Regex SafeValue();
}
