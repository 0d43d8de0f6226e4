using System.Globalization;
using System.Runtime.CompilerServices;

namespace Wexil.Core.Common;

/// <summary>
/// The address of a page that lives elsewhere, taken apart once so that visitors can be sent on to it.
/// </summary>
public sealed class OutsideAddress
{
    private readonly string _stem,
        _query,
        _fragment;

    /// <param name="address">Absolute, http or https.</param>
    public OutsideAddress(Uri address)
    {
        Address = address;
        (_stem, _query, _fragment) = (
            address.GetLeftPart(UriPartial.Path),
            address.Query.TrimStart('?'),
            address.Fragment
        );
        Key = KeyOf(address);
    }

    /// <summary>The address as it was given.</summary>
    public Uri Address { get; }

    /// <summary>How many parameters the address has of its own.</summary>
    public int OwnParameters => AddressQuery.Count(_query);

    /// <summary>
    /// Does a query have every parameter that this address has of its own? By them software tells pages of one path
    /// apart ("?page_id=5").
    /// </summary>
    public bool IsMetBy(string query)
    {
        foreach (var own in AddressQuery.PartsOf(_query))
            if (!AddressQuery.Has(query, own.Whole))
                return false;
        return true;
    }

    /// <summary>The address's own fragment with its "#"; empty for none.</summary>
    public string Fragment => _fragment;

    /// <summary>Would visitors of the two be taken for visitors of one page?</summary>
    public bool IsSamePage(OutsideAddress other) => IsSamePlace(other) && _fragment == other._fragment;

    /// <summary>The same but for the fragment, which no server is told.</summary>
    public bool IsSamePlace(OutsideAddress other) =>
        Key == other.Key && OwnParameters == other.OwnParameters && IsMetBy(other._query);

    /// <summary>
    /// Which of several addresses that share path and parameters a visit with a fragment is at: the one with that
    /// fragment, else those without one. One that is alone needs no fragment: visitors may lose it on the way.
    /// </summary>
    /// <param name="fragment">Of the visit, with its "#"; empty for none.</param>
    public static IEnumerable<T> ByFragment<T>(IReadOnlyList<T> those, Func<T, OutsideAddress> at, string fragment)
    {
        if (those.Select(one => at(one).Fragment).Distinct().Count() < 2)
            return those;
        var named = those.Where(one => fragment.Length > 0 && at(one).Fragment == fragment).ToArray();
        return named.Length > 0 ? named : those.Where(one => at(one).Fragment.Length == 0);
    }

    /// <summary>What two addresses of the same path have in common.</summary>
    public string Key { get; }

    /// <summary>Scheme, host, port and path, whatever the query or fragment.</summary>
    public static string KeyOf(Uri address) =>
        address.GetLeftPart(UriPartial.Authority).ToLowerInvariant() + address.AbsolutePath.TrimEnd('/');

    /// <summary>An http or https address as a person typed it, or what is wrong with it.</summary>
    public static (Uri? Address, string? Problem) Check(string? typed)
    {
        var text = typed?.Trim() ?? "";
        if (text.Length == 0)
            return (null, "Enter the address of the page, such as https://shop.larkrow.example/kit.");
        if (!text.Contains("://", StringComparison.Ordinal))
            text = "https://" + text;
        if (
            !Uri.TryCreate(text, UriKind.Absolute, out var address)
            || address.Scheme is not ("http" or "https")
            || address.Host.Length == 0
        )
            return (null, "Enter a web address that a browser can open.");
        return address.UserInfo.Length > 0
            ? (null, "Remove the user name and password: visitors would see them.")
            : (address, null);
    }

    /// <summary>
    /// The page's address with the visitor's query parameters after its own, ours last, and the fragment kept.
    /// Parameters of ours (<c>wx</c> and all that begin with <c>wx_</c>) that came in do not travel on.
    /// </summary>
    /// <param name="query">The query as it came, with or without the question mark; its encoding is left as it
    /// is.</param>
    public string With(string query, params ReadOnlySpan<(string Name, string Value)> ours)
    {
        var text = new DefaultInterpolatedStringHandler(0, 0, CultureInfo.InvariantCulture, stackalloc char[512]);
        text.AppendLiteral(_stem);
        var sign = "?";
        if (_query.Length > 0)
        {
            text.AppendLiteral("?");
            text.AppendLiteral(_query);
            sign = "&";
        }
        foreach (var part in AddressQuery.PartsOf(query))
        {
            if (part.IsOurs)
                continue;
            text.AppendLiteral(sign);
            text.AppendFormatted(part.Whole);
            sign = "&";
        }
        foreach (var (name, value) in ours)
        {
            text.AppendLiteral(sign);
            text.AppendLiteral(name);
            text.AppendLiteral("=");
            text.AppendLiteral(Uri.EscapeDataString(value));
            sign = "&";
        }
        text.AppendLiteral(_fragment);
        return text.ToStringAndClear();
    }
}
