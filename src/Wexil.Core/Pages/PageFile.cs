using System.Collections.Frozen;

namespace Wexil.Core.Pages;

/// <summary>A file of a hosted page. The path is relative to the page's folder, with forward slashes.</summary>
public sealed record PageFile(string Path, byte[] Content)
{
    public string ContentType => ContentTypes.Of(Path) ?? ContentTypes.Unknown;
}

/// <summary>The types of files that a page may bring along. What is not listed is refused: a page's folder is no place for programs.</summary>
public static class ContentTypes
{
    public const string Html = "text/html; charset=utf-8";
    public const string Unknown = "application/octet-stream";

    private static readonly FrozenDictionary<string, string> ByExtension = new Dictionary<string, string>
    {
        [".html"] = Html,
        [".htm"] = Html,
        [".css"] = "text/css; charset=utf-8",
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
    public static string? Of(string path) => ByExtension.GetValueOrDefault(Path.GetExtension(path));

    public static bool IsHtml(string path) => Of(path) == Html;
}
