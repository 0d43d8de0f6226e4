namespace Wexil.Pages.Source;

/// <summary>Elements that stand within a line of text and belong to it; their names are in small letters.</summary>
public static class InlineTags
{
    /// <summary>Those that only say how text is set.</summary>
    public static readonly IReadOnlySet<string> Emphasis = Set("b strong i em u s small mark sub sup");

    /// <summary>All of them.</summary>
    public static readonly IReadOnlySet<string> Names = Set(
        $"{string.Join(' ', Emphasis)} span br wbr a code abbr q cite time font kbd del ins"
    );

    private static HashSet<string> Set(string names) => new(names.Split(' '), StringComparer.Ordinal);
}
