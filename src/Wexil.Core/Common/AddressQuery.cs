using System.Net;

namespace Wexil.Core.Common;

/// <summary>
/// Reads parameters out of an address's query as it came, repeated and encoded ones too. It is read at every visit, so
/// nothing is taken apart that nobody asks for.
/// </summary>
public static class AddressQuery
{
    /// <summary>The parts of a query, with or without its question mark, in order.</summary>
    public static Parts PartsOf(string query) => new(query.AsSpan().TrimStart('?'));

    /// <summary>Every value of a parameter, decoded, in order. Names are compared letter by letter.</summary>
    public static IReadOnlyList<string> Values(string query, string name)
    {
        var values = new List<string>();
        foreach (var part in PartsOf(query))
            if (part.Is(name))
                values.Add(part.Value.ToString());
        return values;
    }

    /// <summary>The first value of a parameter, decoded; null when it is not there.</summary>
    public static string? Value(string query, string name)
    {
        foreach (var part in PartsOf(query))
            if (part.Is(name))
                return part.Value.ToString();
        return null;
    }

    /// <summary>Is a part, name and value as they came, in a query?</summary>
    public static bool Has(string query, ReadOnlySpan<char> whole)
    {
        foreach (var part in PartsOf(query))
            if (part.Whole.SequenceEqual(whole))
                return true;
        return false;
    }

    /// <summary>How many parts a query has that are not empty.</summary>
    public static int Count(string query)
    {
        var count = 0;
        foreach (var _ in PartsOf(query))
            count++;
        return count;
    }

    /// <summary>One parameter of a query.</summary>
    /// <param name="whole">Name and value as they came.</param>
    public readonly ref struct Part(ReadOnlySpan<char> whole)
    {
        private readonly int _equals = whole.IndexOf('=');

        /// <summary>The part as it came, with its name: "a=b".</summary>
        public ReadOnlySpan<char> Whole { get; } = whole;

        /// <summary>The name, decoded.</summary>
        public ReadOnlySpan<char> Name => Decoded(_equals < 0 ? Whole : Whole[.._equals]);

        /// <summary>The value, decoded; empty where the part has none.</summary>
        public ReadOnlySpan<char> Value => _equals < 0 ? [] : Decoded(Whole[(_equals + 1)..]);

        /// <summary>A parameter of ours, which never travels on.</summary>
        public bool IsOurs => Name is "wx" || Name.StartsWith("wx_", StringComparison.Ordinal);

        /// <summary>Has the part this name, letter by letter?</summary>
        public bool Is(string name) => Name.SequenceEqual(name);

        private static ReadOnlySpan<char> Decoded(ReadOnlySpan<char> text) =>
            text.IndexOfAny('%', '+') < 0 ? text : WebUtility.UrlDecode(text.ToString());
    }

    /// <summary>Walks the parts of a query in order, without copying any.</summary>
    public ref struct Parts(ReadOnlySpan<char> rest)
    {
        private ReadOnlySpan<char> _rest = rest;

        /// <summary>The part that the walk is at.</summary>
        public Part Current { get; private set; }

        /// <summary>Walks the parts from the first.</summary>
        public readonly Parts GetEnumerator() => this;

        /// <summary>Goes on to the next part; false where there is none.</summary>
        public bool MoveNext()
        {
            while (!_rest.IsEmpty)
            {
                var end = _rest.IndexOf('&');
                var part = end < 0 ? _rest : _rest[..end];
                _rest = end < 0 ? [] : _rest[(end + 1)..];
                if (part.IsEmpty)
                    continue;
                Current = new(part);
                return true;
            }
            return false;
        }
    }
}
