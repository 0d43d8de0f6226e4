namespace Wexil.Pages.Source;

/// <summary>Elements that stand within a line of text and belong to it.</summary>
public static class InlineTags
{
    /// <summary>Their names, in small letters.</summary>
    public static readonly IReadOnlySet<string> Names = new HashSet<string>(StringComparer.Ordinal)
    {
        "b",
        "strong",
        "i",
        "em",
        "u",
        "s",
        "small",
        "mark",
        "sub",
        "sup",
        "span",
        "br",
        "wbr",
        "a",
        "code",
        "abbr",
        "q",
        "cite",
        "time",
        "font",
        "kbd",
        "del",
        "ins",
    };
}
