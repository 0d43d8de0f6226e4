using System.Net;
using System.Text;

namespace Wexil.Pages.Source;

/// <summary>Text on its way in and out of HTML.</summary>
internal static class HtmlText
{
    /// <summary>Text made safe to stand between tags.</summary>
    public static string Encode(string text) =>
        text.Replace("&", "&amp;", StringComparison.Ordinal)
            .Replace("<", "&lt;", StringComparison.Ordinal)
            .Replace(">", "&gt;", StringComparison.Ordinal);

    /// <summary>A value made safe to stand between double quotes.</summary>
    public static string EncodeValue(string value) =>
        value.Replace("&", "&amp;", StringComparison.Ordinal).Replace("\"", "&quot;", StringComparison.Ordinal);

    public static string Decode(string html) =>
        html.Contains('&', StringComparison.Ordinal) ? WebUtility.HtmlDecode(html) : html;

    /// <summary>Runs of white space made one space, as a browser shows them.</summary>
    public static string Collapse(string text)
    {
        var result = new StringBuilder(text.Length);
        var space = false;
        foreach (var c in text)
        {
            if (c is ' ' or '\n' or '\r' or '\t' or '\f')
                space = result.Length > 0;
            else
            {
                if (space)
                    result.Append(' ');
                space = false;
                result.Append(c);
            }
        }
        return result.ToString();
    }

    /// <summary>At most so many characters, the rest as an ellipsis.</summary>
    public static string Shorten(string text, int longest) =>
        text.Length <= longest ? text : text[..(longest - 1)].TrimEnd() + "…";
}
