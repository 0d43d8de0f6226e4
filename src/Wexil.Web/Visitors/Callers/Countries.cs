using System.Buffers.Binary;
using System.IO.Compression;
using System.Net;
using System.Net.Sockets;
using MaxMind.Db;

namespace Wexil.Web.Visitors.Callers;

/// <summary>
/// The country of an address, from data that is shipped with the program: nobody is asked, and the address is not kept.
/// </summary>
public static class Countries
{
    // The last blocks asked for, each in the one place that its number gives it: no more memory than this.
    private const int BlockCount = 1 << 14,
        BlockPrefix = 24;
    private static readonly Block?[] Blocks = new Block?[BlockCount];
    private static readonly Task<Reader> Data = Task.Run(Load);

    /// <summary>Completes when the data can be asked.</summary>
    public static Task ReadyAsync() => Data;

    /// <summary>Two letters (ISO 3166-1), or empty where the address says nothing.</summary>
    public static string CountryOf(IPAddress? address)
    {
        if (address is null || IPAddress.IsLoopback(address))
            return "";
        if (address.IsIPv4MappedToIPv6)
            address = address.MapToIPv4();
        return address.AddressFamily == AddressFamily.InterNetwork ? OfBlock(address) : Find(address, out _);
    }

    /// <summary>
    /// The country of an IPv4 address. The 256 addresses of its block nearly always lie in one country, and then the
    /// block is looked up once.
    /// </summary>
    private static string OfBlock(IPAddress address)
    {
        Span<byte> bytes = stackalloc byte[4];
        address.TryWriteBytes(bytes, out _);
        var number = BinaryPrimitives.ReadUInt32BigEndian(bytes) >> 8;
        ref var place = ref Blocks[number % BlockCount];
        if (place is { } known && known.Number == number)
            return known.Country;
        var country = Find(address, out var isWholeBlock);
        if (isWholeBlock)
            place = new(number, country);
        return country;
    }

    private static string Find(IPAddress address, out bool isWholeBlock)
    {
        var found = Data.GetAwaiter().GetResult().Find<Dictionary<string, object>>(address, out var prefix);
        isWholeBlock = prefix <= BlockPrefix;
        return found?.GetValueOrDefault("country_code") as string ?? "";
    }

    private sealed record Block(uint Number, string Country);

    /// <summary>The data itself, opened anew.</summary>
    public static Reader Load()
    {
        using var packed = typeof(Countries).Assembly.GetManifestResourceStream(
            "Wexil.Web.Visitors.Callers.Data.countries.countries.mmdb.gz"
        )!;
        using var unpacked = new GZipStream(packed, CompressionMode.Decompress);
        return new(unpacked);
    }
}
