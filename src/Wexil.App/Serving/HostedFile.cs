using System.IO.Compression;
using System.Security.Cryptography;
using Wexil.Core.Pages;

namespace Wexil.App.Serving;

/// <summary>A file ready to be sent, and compressed where that makes it smaller.</summary>
public sealed class HostedFile
{
    private const int TooSmallToCompress = 512;
    private readonly Lazy<byte[]?>? _brotli,
        _gzip;

    private HostedFile(byte[] content, string type, Lazy<byte[]?>? brotli, Lazy<byte[]?>? gzip)
    {
        (Content, ContentType, _brotli, _gzip) = (content, type, brotli, gzip);
        ETag = $"\"{Convert.ToHexStringLower(SHA256.HashData(content)[..12])}\"";
    }

    /// <summary>As it is.</summary>
    public byte[] Content { get; }

    /// <summary>With its character set, for texts.</summary>
    public string ContentType { get; }

    /// <summary>The same as long as the content is.</summary>
    public string ETag { get; }

    /// <summary>It may have compressed forms.</summary>
    public bool IsCompressible => _brotli is not null;

    /// <summary>Null where that is no smaller.</summary>
    public byte[]? Brotli => _brotli?.Value;

    /// <summary>Null where that is no smaller.</summary>
    public byte[]? Gzip => _gzip?.Value;

    /// <summary>In bytes, with its compressed forms, or about what they will take.</summary>
    public long Size =>
        Content.Length
        + (_brotli is { IsValueCreated: true } ? (Brotli?.Length ?? 0) + (Gzip?.Length ?? 0) : Content.Length);

    /// <summary>Compressed at once and well: it is sent often.</summary>
    public static HostedFile Prepared(byte[] content, string type)
    {
        var file = Create(content, type, quality: 5, CompressionLevel.Optimal);
        _ = (file.Brotli, file.Gzip);
        return file;
    }

    /// <summary>Compressed as quickly as can be, and only for a browser that asks: it may be sent once.</summary>
    public static HostedFile Passing(byte[] content, string type) =>
        Create(content, type, quality: 1, CompressionLevel.Fastest);

    private static HostedFile Create(byte[] content, string type, int quality, CompressionLevel level)
    {
        if (content.Length < TooSmallToCompress || !ContentTypes.IsText(type))
            return new(content, type, null, null);
        var options = new BrotliCompressionOptions { Quality = quality };
        return new(
            content,
            type,
            new(() => Compressed(content, stream => new BrotliStream(stream, options))),
            new(() => Compressed(content, stream => new GZipStream(stream, level)))
        );
    }

    private static byte[]? Compressed(byte[] content, Func<Stream, Stream> compressor)
    {
        using var memory = new MemoryStream();
        using (var stream = compressor(memory))
            stream.Write(content);
        var packed = memory.ToArray();
        return packed.Length < content.Length ? packed : null;
    }
}
