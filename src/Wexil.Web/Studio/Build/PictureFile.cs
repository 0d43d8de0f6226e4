using System.Text;
using Wexil.Core.Common;

namespace Wexil.Web.Studio.Build;

/// <summary>Pictures that a person brings to a page.</summary>
internal static class PictureFile
{
    /// <summary>Does the file hold what its name says? A name alone proves nothing.</summary>
    public static bool IsPicture(string extension, ReadOnlySpan<byte> content) =>
        extension switch
        {
            ".jpg" or ".jpeg" => content.StartsWith((ReadOnlySpan<byte>)[0xFF, 0xD8, 0xFF]),
            ".png" => content.StartsWith((ReadOnlySpan<byte>)[0x89, 0x50, 0x4E, 0x47]),
            ".gif" => content.StartsWith("GIF8"u8),
            ".webp" => content.Length > 12 && content.StartsWith("RIFF"u8) && content[8..].StartsWith("WEBP"u8),
            ".avif" => content.Length > 12 && content[4..].StartsWith("ftyp"u8),
            ".svg" => Encoding
                .UTF8.GetString(content[..Math.Min(content.Length, 4096)])
                .Contains("<svg", StringComparison.OrdinalIgnoreCase),
            _ => false,
        };

    /// <summary>A path in the page's folder that no other file has.</summary>
    public static string Free(string name, string extension, IReadOnlySet<string> taken) =>
        $"files/{Slug.Free(Slug.From(name), slug => taken.Contains($"files/{slug}{extension}"))}{extension}";
}
