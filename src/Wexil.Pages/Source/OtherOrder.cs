namespace Wexil.Pages.Source;

/// <summary>
/// The parts within a part, the other way round: a version of a section that only changes their order.
/// </summary>
public static class OtherOrder
{
    /// <summary>
    /// The same source with the parts of its one outer element in reverse, or of the first within it that holds more
    /// than one; what stands between them stays where it is. Null where there are no two that can be taken as one piece
    /// each.
    /// </summary>
    public static string? Of(string source)
    {
        var map = SourceMap.Parse(source);
        if (map.Elements is not [{ IsWhole: true } outer, ..] || source[outer.End..].Trim().Length > 0)
            return null;
        SourceElement[] PartsOf(SourceElement of) =>
            [.. map.Elements.Where(element => element.Element.ParentElement == of.Element)];
        var parts = PartsOf(outer);
        while (parts is [var only])
            parts = PartsOf(only);
        if (parts.Length < 2 || !parts.All(part => part.IsWhole))
            return null;
        var edits = new SourceEdits(source);
        for (var i = 0; i < parts.Length; i++)
            edits.Replace(parts[i].Start, parts[i].End, map.Outer(parts[^(i + 1)]));
        return edits.Apply();
    }
}
