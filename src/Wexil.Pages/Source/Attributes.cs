namespace Wexil.Pages.Source;

/// <summary>Changes attributes in the source of a start tag.</summary>
internal static class Attributes
{
    public static void Set(SourceEdits edits, string source, StartTag tag, string name, string value)
    {
        var quoted = HtmlText.EncodeValue(value);
        if (tag[name] is not { } present)
            edits.Insert(tag.NameEnd, $" {name}=\"{quoted}\"");
        else if (present.ValueEnd > present.ValueStart && source[present.ValueStart - 1] == '"')
            edits.Replace(present.ValueStart, present.ValueEnd, quoted);
        else
            edits.Replace(present.Start, present.End, $"{name}=\"{quoted}\"");
    }

    public static void Remove(SourceEdits edits, StartTag tag, params ReadOnlySpan<string> names)
    {
        foreach (var name in names)
            if (tag[name] is { } present)
                edits.Replace(present.Start - 1, present.End, "");
    }
}
