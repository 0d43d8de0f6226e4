namespace Wexil.Pages.Source;

/// <summary>
/// One attribute in the source of a start tag; the value's place is empty (both ends alike) when it has none.
/// </summary>
internal readonly record struct SourceAttribute(string Name, int Start, int ValueStart, int ValueEnd, int End);

/// <summary>
/// The attributes of a start tag with their places in the source, so that one can be changed and every other character
/// of a marketer's page stays as it was written. Follows the tokenisation of attributes in the HTML standard.
/// </summary>
internal sealed class StartTag
{
    private static readonly List<SourceAttribute> None = [];

    private StartTag(int nameEnd, List<SourceAttribute> attributes, int end) =>
        (NameEnd, Attributes, End) = (nameEnd, attributes, end);

    /// <summary>The place right behind the tag's name: where a new attribute can go.</summary>
    public int NameEnd { get; }

    public IReadOnlyList<SourceAttribute> Attributes { get; }

    /// <summary>The place right behind the tag.</summary>
    public int End { get; }

    public SourceAttribute? this[string name]
    {
        get
        {
            foreach (var attribute in Attributes)
                if (attribute.Name.Equals(name, StringComparison.OrdinalIgnoreCase))
                    return attribute;
            return null;
        }
    }

    /// <summary>Reads the start tag at a place; null when no tag of that name stands there.</summary>
    public static StartTag? At(string source, int place, string name)
    {
        if (place < 0 || place + 1 + name.Length > source.Length || source[place] != '<')
            return null;
        if (string.Compare(source, place + 1, name, 0, name.Length, StringComparison.OrdinalIgnoreCase) != 0)
            return null;
        var i = place + 1 + name.Length;
        var nameEnd = i;
        List<SourceAttribute>? attributes = null;
        while (i < source.Length && source[i] != '>')
        {
            if (char.IsWhiteSpace(source[i]) || source[i] == '/')
            {
                i++;
                continue;
            }
            if (AttributeAt(source, i) is not { } attribute)
                return null;
            (attributes ??= new(2)).Add(attribute);
            i = attribute.End;
        }
        return new(nameEnd, attributes ?? None, Math.Min(i + 1, source.Length));
    }

    /// <summary>Null where its value is never closed.</summary>
    private static SourceAttribute? AttributeAt(string source, int start)
    {
        var i = start + 1;
        while (i < source.Length && !char.IsWhiteSpace(source[i]) && source[i] is not ('=' or '>' or '/'))
            i++;
        var name = source[start..i];
        var after = SkipSpace(source, i);
        if (after >= source.Length || source[after] != '=')
            return new(name, start, i, i, i);
        i = SkipSpace(source, after + 1);
        if (i < source.Length && source[i] is '"' or '\'')
        {
            var close = source.IndexOf(source[i], i + 1);
            return close < 0 ? null : new(name, start, i + 1, close, close + 1);
        }
        var valueStart = i;
        while (i < source.Length && !char.IsWhiteSpace(source[i]) && source[i] != '>')
            i++;
        return new(name, start, valueStart, i, i);
    }

    private static int SkipSpace(string source, int i)
    {
        while (i < source.Length && char.IsWhiteSpace(source[i]))
            i++;
        return i;
    }
}
