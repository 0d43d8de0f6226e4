using Wexil.Pages.Source;

namespace Wexil.Pages.Differences;

/// <summary>What became of a part between two pages.</summary>
public enum ChangeKind
{
    /// <summary>Its words.</summary>
    Text,

    /// <summary>The emphasis within its words.</summary>
    Emphasis,

    /// <summary>An attribute.</summary>
    Attribute,

    /// <summary>A property of its style.</summary>
    Style,

    /// <summary>Which picture it shows.</summary>
    Picture,

    /// <summary>Where it leads.</summary>
    Link,

    /// <summary>It became a section, ceased to be one, or is another.</summary>
    Section,

    /// <summary>It is new.</summary>
    Added,

    /// <summary>It is gone.</summary>
    Removed,

    /// <summary>It stands elsewhere.</summary>
    Moved,

    /// <summary>A script or a style sheet.</summary>
    Code,

    /// <summary>A file of the page.</summary>
    File,
}

/// <summary>One thing that differs between a page and the page it came from.</summary>
public sealed class PageChange
{
    internal PageChange(ChangeKind kind, string place, Part? beforePart, Part? afterPart) =>
        (Kind, Place, BeforePart, AfterPart) = (kind, place, beforePart, afterPart);

    /// <summary>What became of the part.</summary>
    public ChangeKind Kind { get; }

    /// <summary>Which part of the page, in words.</summary>
    public string Place { get; internal init; }

    /// <summary>What about it: "colour", "words"; empty where the place says it all.</summary>
    public string What { get; internal init; } = "";

    /// <summary>What it was; null where it was not there.</summary>
    public string? Before { get; internal init; }

    /// <summary>What it is; null where it is gone.</summary>
    public string? After { get; internal init; }

    /// <summary>Where a moved or added part stands now: "above Questions".</summary>
    public string Where { get; internal init; } = "";

    /// <summary>The element's number in the source before; null when it was not there.</summary>
    public int? BeforeNode => (BeforePart?.Element ?? BeforePart?.Parent?.Element)?.Id;

    /// <summary>The element's number in the source now; null when it is gone.</summary>
    public int? AfterNode => (AfterPart?.Element ?? AfterPart?.Parent?.Element)?.Id;

    /// <summary>One text was put in place of another, both of which are known in full.</summary>
    public bool IsReworded => Kind == ChangeKind.Text && What.Length == 0 && Before is not null && After is not null;

    /// <summary>The change as a sentence for the person who made it.</summary>
    public string Sentence =>
        Kind switch
        {
            ChangeKind.Added => $"{Place} added {Where}".TrimEnd(),
            ChangeKind.Removed => $"{Place} removed",
            ChangeKind.Moved => $"{Place} moved {Where}".TrimEnd(),
            ChangeKind.Text when What.Length == 0 => $"{Place}: {Quote(Before)} → {Quote(After)}",
            ChangeKind.Section when After is null => $"{Place} is no longer a section",
            ChangeKind.Section => $"{Place} {What} the section {Quote(After)}, with versions of its own",
            ChangeKind.Emphasis => $"{Place}: bold or italic changed",
            ChangeKind.Code or ChangeKind.File => What.Length == 0 ? $"{Place} changed" : $"{Place}: {What}",
            ChangeKind.Style => $"{Place}: {What} {Before ?? "page default"} → {After ?? "page default"}",
            _ => $"{Place}: {What} {Quote(Before)} → {Quote(After)}",
        };

    /// <summary>The words of <see cref="Brief"/> say themselves that it was changed.</summary>
    public bool SaysWhat => Kind is ChangeKind.Added or ChangeKind.Removed or ChangeKind.Moved;

    /// <summary>In a word or two, for a page's card: "Headline".</summary>
    public string Brief =>
        Kind switch
        {
            ChangeKind.Added => $"{Place} added",
            ChangeKind.Removed => $"{Place} removed",
            ChangeKind.Moved => $"{Place} moved",
            // The card has little room: which heading or picture it is, the comparison says.
            _ => Place.Split(" “")[0],
        };

    internal Part? BeforePart { get; }

    internal Part? AfterPart { get; }

    /// <summary>The attributes, or the one property of the style, that changed.</summary>
    internal IReadOnlyList<string> Names { get; init; } = [];

    private static string Quote(string? text) =>
        string.IsNullOrEmpty(text) ? "nothing" : $"“{HtmlText.Shorten(text, 90)}”";
}

/// <summary>How much differs, and what that means for a test.</summary>
public enum ChangeVerdict
{
    /// <summary>Nothing differs.</summary>
    None,

    /// <summary>One change: a test tells what it does.</summary>
    One,

    /// <summary>Several: a test tells what they do together.</summary>
    Several,

    /// <summary>Hardly anything is as it was.</summary>
    Redesign,
}

/// <summary>All that differs between two pages, in the order of the page.</summary>
public sealed record PageChanges(IReadOnlyList<PageChange> Changes, ChangeVerdict Verdict)
{
    /// <summary>What differs, for a list of pages: "Headline changed", "Picture and 2 more changed"; empty for
    /// nothing.</summary>
    public string Summary =>
        Changes switch
        {
            [] => "",
            [{ SaysWhat: true } only] => only.Brief,
            [var only] => $"{only.Brief} changed",
            [var first, ..] => $"{first.Brief} and {Changes.Count - 1} more changed",
        };

    /// <summary>How much differs, in a word or two.</summary>
    public string Label =>
        Verdict switch
        {
            ChangeVerdict.None => "no change yet",
            ChangeVerdict.One => "one change",
            ChangeVerdict.Several => $"{Changes.Count} changes",
            _ => "a redesign",
        };

    /// <summary>A name for the page, made from the first change; null while there is none.</summary>
    public string? Name =>
        Changes is [var first, ..]
            ? HtmlText.Shorten(
                first.Kind switch
                {
                    ChangeKind.Text => $"“{first.After}”",
                    ChangeKind.Added => $"With {first.Place}",
                    ChangeKind.Removed => $"Without {first.Place}",
                    ChangeKind.Moved => $"{first.Place} {first.Where}",
                    ChangeKind.Style or ChangeKind.Picture => $"{first.Place}: {first.After ?? first.What}",
                    _ => first.Place,
                },
                70
            )
            : null;

    /// <summary>What it means, as a sentence.</summary>
    public string Sentence =>
        Verdict switch
        {
            ChangeVerdict.None => "The two pages are the same.",
            ChangeVerdict.One => "One change: if it wins, you know why.",
            ChangeVerdict.Several => $"{Changes.Count} changes: if it wins, you will not know which one did it.",
            _ => $"A redesign with {Changes.Count} changes: tests the pages as a whole, not one idea.",
        };
}
