using System.Net;

namespace Wexil.Core.Splits;

/// <summary>Reads parameters out of an address's query as it came, repeated and encoded ones too.</summary>
public static class AddressQuery
{
    /// <summary>Every value of a parameter, decoded, in order. Names are compared letter by letter.</summary>
    public static IEnumerable<string> Values(string query, string name)
    {
        foreach (var part in query.TrimStart('?').Split('&', StringSplitOptions.RemoveEmptyEntries))
        {
            var equals = part.IndexOf('=');
            if (Decoded(equals < 0 ? part : part[..equals]) == name) yield return equals < 0 ? "" : Decoded(part[(equals + 1)..]);
        }
    }

    /// <summary>The first value of a parameter; null when it is not there. Takes no memory where it is not: this is asked at every visit.</summary>
    public static string? Value(string query, string name)
    {
        var rest = query.AsSpan().TrimStart('?');
        while (!rest.IsEmpty)
        {
            var end = rest.IndexOf('&');
            var part = end < 0 ? rest : rest[..end];
            rest = end < 0 ? [] : rest[(end + 1)..];
            var equals = part.IndexOf('=');
            var own = equals < 0 ? part : part[..equals];
            if (own.IndexOfAny('%', '+') < 0 ? own.SequenceEqual(name) : Decoded(own.ToString()) == name) return equals < 0 ? "" : Decoded(part[(equals + 1)..].ToString());
        }
        return null;
    }

    /// <summary>Is the part of a query a parameter of ours, which never travels on?</summary>
    public static bool IsOurs(ReadOnlySpan<char> part)
    {
        var equals = part.IndexOf('=');
        var name = equals < 0 ? part : part[..equals];
        if (name.IndexOf('%') >= 0) name = Decoded(name.ToString());
        return name is "wx" || name.StartsWith("wx_", StringComparison.Ordinal);
    }

    private static string Decoded(string text) => text.AsSpan().IndexOfAny('%', '+') < 0 ? text : WebUtility.UrlDecode(text);
}
