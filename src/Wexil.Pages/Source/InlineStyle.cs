namespace Wexil.Pages.Source;

/// <summary>
/// The declarations of a <c>style</c> attribute or of one rule, in the order written; the last of a name stands.
/// </summary>
internal static class InlineStyle
{
    public static List<KeyValuePair<string, string>> Parse(string? style)
    {
        var declarations = new List<KeyValuePair<string, string>>();
        foreach (var part in Split(style ?? "", ';'))
        {
            var colon = part.IndexOf(':');
            if (colon <= 0)
                continue;
            var name = part[..colon].Trim();
            if (!name.StartsWith("--", StringComparison.Ordinal))
                name = name.ToLowerInvariant();
            declarations.RemoveAll(declaration => declaration.Key == name);
            declarations.Add(new(name, HtmlText.Collapse(part[(colon + 1)..])));
        }
        return declarations;
    }

    public static string Write(IEnumerable<KeyValuePair<string, string>> declarations) =>
        string.Join("; ", declarations.Select(declaration => $"{declaration.Key}: {declaration.Value}"));

    /// <summary>The style with one declaration set, or taken out when the value is null.</summary>
    public static string With(string? style, string name, string? value)
    {
        var declarations = Parse(style);
        var place = declarations.FindIndex(declaration => declaration.Key == name);
        if (value is null)
        {
            if (place >= 0)
                declarations.RemoveAt(place);
        }
        else if (place >= 0)
            declarations[place] = new(name, value);
        else
            declarations.Add(new(name, value));
        return Write(declarations);
    }

    /// <summary>Cuts at a character that stands outside of quotes and brackets.</summary>
    public static IEnumerable<string> Split(string css, char at)
    {
        var start = 0;
        var depth = 0;
        var quote = '\0';
        for (var i = 0; i < css.Length; i++)
        {
            var c = css[i];
            if (quote != '\0')
            {
                if (c == '\\')
                    i++;
                else if (c == quote)
                    quote = '\0';
            }
            else if (c is '"' or '\'')
                quote = c;
            else if (c is '(' or '[' or '{')
                depth++;
            else if (c is ')' or ']' or '}')
                depth--;
            else if (c == at && depth <= 0)
            {
                yield return css[start..i];
                start = i + 1;
            }
        }
        if (start < css.Length)
            yield return css[start..];
    }
}
