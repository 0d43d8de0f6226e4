using System.IO.Compression;
using System.Net;
using MaxMind.Db;

namespace Wexil.Web.Visitors.Callers;

/// <summary>
/// The country of an address, from data that is shipped with the program: nobody is asked, and the address is not kept.
/// </summary>
public static class Countries
{
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
        return Data.GetAwaiter()
                .GetResult()
                .Find<Dictionary<string, object>>(address)
                ?.GetValueOrDefault("country_code") as string
            ?? "";
    }

    private static Reader Load()
    {
        using var packed = typeof(Countries).Assembly.GetManifestResourceStream(
            "Wexil.Web.Visitors.Callers.Data.countries.countries.mmdb.gz"
        )!;
        using var unpacked = new GZipStream(packed, CompressionMode.Decompress);
        return new(unpacked);
    }
}
