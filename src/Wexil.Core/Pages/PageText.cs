using System.Text;
using System.Text.RegularExpressions;

namespace Wexil.Core.Pages;

/// <summary>Reads a page's bytes as text, whatever encoding it was saved in; pages are served as UTF-8.</summary>
public static partial class PageText
{
    private static readonly UTF8Encoding Strict = new(false, true);

    static PageText() => Encoding.RegisterProvider(CodePagesEncodingProvider.Instance);

    /// <summary>
    /// By byte order mark, then valid UTF-8, then what the server or the page declares, then windows-1252 as browsers
    /// do.
    /// </summary>
    /// <param name="charset">What the server said with it, if anything.</param>
    public static string Decode(ReadOnlySpan<byte> bytes, string? charset = null)
    {
        if (bytes.StartsWith((ReadOnlySpan<byte>)[0xEF, 0xBB, 0xBF]))
            return Encoding.UTF8.GetString(bytes[3..]);
        if (bytes.StartsWith((ReadOnlySpan<byte>)[0xFF, 0xFE]))
            return Encoding.Unicode.GetString(bytes[2..]);
        if (bytes.StartsWith((ReadOnlySpan<byte>)[0xFE, 0xFF]))
            return Encoding.BigEndianUnicode.GetString(bytes[2..]);
        try
        {
            return Strict.GetString(bytes);
        }
        catch (DecoderFallbackException)
        {
            var declared = charset
                ?? Charset().Match(Encoding.Latin1.GetString(bytes[..Math.Min(bytes.Length, 2048)])).Groups[1].Value;
            return Named(declared).GetString(bytes);
        }
    }

    /// <summary>
    /// A style sheet or script in another encoding as UTF-8, in which it is served; anything else, and pages, as they
    /// came.
    /// </summary>
    public static byte[] AsUtf8(string path, byte[] content) =>
        ContentTypes.ForPath(path) is { } type
        && type.StartsWith("text/", StringComparison.Ordinal)
        && type != ContentTypes.Html
        && !IsUtf8(content)
            ? Encoding.UTF8.GetBytes(Decode(content))
            : content;

    private static bool IsUtf8(byte[] content)
    {
        try
        {
            Strict.GetCharCount(content);
            return !content.AsSpan().StartsWith((ReadOnlySpan<byte>)[0xFF, 0xFE])
                && !content.AsSpan().StartsWith((ReadOnlySpan<byte>)[0xFE, 0xFF]);
        }
        catch (DecoderFallbackException)
        {
            return false;
        }
    }

    private static Encoding Named(string charset)
    {
        try
        {
            return Encoding.GetEncoding(charset is "" or "utf-8" or "iso-8859-1" ? "windows-1252" : charset);
        }
        catch (ArgumentException)
        {
            return Encoding.GetEncoding("windows-1252");
        }
    }

    [GeneratedRegex(@"<meta[^>]+charset\s*=\s*[""']?\s*([\w-]+)", RegexOptions.IgnoreCase)]
    private static partial Regex Charset();
}
