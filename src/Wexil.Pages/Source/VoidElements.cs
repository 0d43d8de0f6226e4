using System.Collections.Frozen;

namespace Wexil.Pages.Source;

/// <summary>Elements that hold nothing and have no end tag, by the HTML standard.</summary>
internal static class VoidElements
{
    /// <summary>Their names; capitals do not matter.</summary>
    public static readonly FrozenSet<string> All = FrozenSet.Create(
        StringComparer.OrdinalIgnoreCase,
        "area",
        "base",
        "br",
        "col",
        "embed",
        "hr",
        "img",
        "input",
        "link",
        "meta",
        "param",
        "source",
        "track",
        "wbr"
    );
}
