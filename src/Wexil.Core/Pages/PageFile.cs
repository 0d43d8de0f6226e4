using System.Collections.Frozen;

namespace Wexil.Core.Pages;

/// <summary>A file of a hosted page. The path is relative to the page's folder, with forward slashes.</summary>
public sealed record PageFile(string Path, byte[] Content)
{
    /// <summary>By the name; never null.</summary>
    public string ContentType => ContentTypes.ForPath(Path) ?? ContentTypes.Unknown;
}

/// <summary>
/// The types of files that a page may bring along. What is not listed is refused: a page's folder is no place for
/// programs.
/// </summary>
public static class ContentTypes
{
    /// <summary>Of a page, and of a style sheet.</summary>
    public const string Html = "text/html; charset=utf-8",
        Css = "text/css; charset=utf-8";

    /// <summary>Of a file whose name says nothing.</summary>
    public const string Unknown = "application/octet-stream";

    private static readonly FrozenDictionary<string, string> ByExtension = new Dictionary<string, string>
    {
        [".html"] = Html,
        [".htm"] = Html,
        [".css"] = Css,
        [".js"] = "text/javascript; charset=utf-8",
        [".mjs"] = "text/javascript; charset=utf-8",
        [".json"] = "application/json",
        [".webmanifest"] = "application/manifest+json",
        [".map"] = "application/json",
        [".txt"] = "text/plain; charset=utf-8",
        [".md"] = "text/plain; charset=utf-8",
        [".xml"] = "application/xml",
        [".png"] = "image/png",
        [".jpg"] = "image/jpeg",
        [".jpeg"] = "image/jpeg",
        [".gif"] = "image/gif",
        [".webp"] = "image/webp",
        [".avif"] = "image/avif",
        [".svg"] = "image/svg+xml",
        [".ico"] = "image/x-icon",
        [".bmp"] = "image/bmp",
        [".woff2"] = "font/woff2",
        [".woff"] = "font/woff",
        [".ttf"] = "font/ttf",
        [".otf"] = "font/otf",
        [".eot"] = "application/vnd.ms-fontobject",
        [".mp4"] = "video/mp4",
        [".webm"] = "video/webm",
        [".ogv"] = "video/ogg",
        [".mp3"] = "audio/mpeg",
        [".ogg"] = "audio/ogg",
        [".vtt"] = "text/vtt",
        [".pdf"] = "application/pdf",
        [".scss"] = "text/plain; charset=utf-8",
    }.ToFrozenDictionary(StringComparer.OrdinalIgnoreCase);

    /// <summary>The type by the path's extension; null for one that a page may not bring.</summary>
    public static string? ForPath(string path) => ByExtension.GetValueOrDefault(Path.GetExtension(path));

    /// <summary>Does the file lead to no other file, so that it can be had from anywhere?</summary>
    public static bool IsFinal(string path) =>
        ForPath(path) is { } type
        && (
            type.StartsWith("image/", StringComparison.Ordinal)
            || type.StartsWith("font/", StringComparison.Ordinal)
            || type.StartsWith("video/", StringComparison.Ordinal)
            || type.StartsWith("audio/", StringComparison.Ordinal)
            || type == "application/pdf"
        );

    /// <summary>Is it worth compressing?</summary>
    public static bool IsText(string type) =>
        type.StartsWith("text/", StringComparison.Ordinal)
        || type
            is "application/json"
                or "application/manifest+json"
                or "application/xml"
                or "image/svg+xml"
                or "image/bmp"
                or "font/ttf"
                or "font/otf";

    /// <summary>
    /// The extension under which a file is kept that a server sent; null for a type that a page may not bring.
    /// </summary>
    /// <param name="type">The media type that the server named.</param>
    /// <param name="path">The path that it was asked for by.</param>
    public static string? Extension(string type, string path)
    {
        var own = Path.GetExtension(path).ToLowerInvariant();
        if (
            ForPath(path) is { } byName
            && !IsHtml(path)
            && (
                type.Length == 0
                || type is "application/octet-stream" or "text/plain" or "binary/octet-stream"
                || byName.StartsWith(type, StringComparison.Ordinal)
                || Same(type, byName)
            )
        )
            return own;
        var found = type switch
        {
            "application/javascript" or "application/x-javascript" or "text/ecmascript" => ".js",
            "image/vnd.microsoft.icon" => ".ico",
            "application/font-woff" or "application/x-font-woff" => ".woff",
            "application/font-woff2" => ".woff2",
            "application/x-font-ttf" or "font/sfnt" => ".ttf",
            "text/html" => null,
            _ => ByExtension.FirstOrDefault(pair => pair.Value.Split(';')[0] == type).Key,
        };
        return found ?? null;

        static bool Same(string type, string byName) =>
            type.Split('/')[0] is "font" or "image" or "video" or "audio" && byName.Split('/')[0] == type.Split('/')[0];
    }

    /// <summary>Does the name end as one of an HTML file does?</summary>
    public static bool IsHtml(string path) => ForPath(path) == Html;
}
