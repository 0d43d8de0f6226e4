using System.Text;

namespace Wexil.Core.Splits;

/// <summary>The address a visitor is sent on to.</summary>
public static class OutsideAddress
{
    /// <summary>An http or https address as a person typed it, or what is wrong with it.</summary>
    public static (Uri? Address, string? Problem) Check(string? typed)
    {
        var text = typed?.Trim() ?? "";
        if (text.Length == 0) return (null, "Give the address of the page, such as https://shop.larkrow.example/kit.");
        if (!text.Contains("://", StringComparison.Ordinal)) text = "https://" + text;
        if (!Uri.TryCreate(text, UriKind.Absolute, out var address) || address.Scheme is not ("http" or "https") || address.Host.Length == 0)
            return (null, "This is not a web address that a browser can open.");
        return address.UserInfo.Length > 0 ? (null, "Leave out the name and password: visitors would see them.") : (address, null);
    }

    /// <summary>
    /// The page's address with the visitor's query parameters after its own, ours last, and the fragment kept.
    /// Parameters of ours (<c>wx</c> and all that begin with <c>wx_</c>) that came in do not travel on.
    /// </summary>
    /// <param name="query">The query as it came, with or without the question mark; its encoding is left as it is.</param>
    public static string WithQuery(Uri page, string query, IEnumerable<(string Name, string Value)> ours)
    {
        var parts = new StringBuilder();
        void Add(ReadOnlySpan<char> part)
        {
            if (part.IsEmpty) return;
            parts.Append(parts.Length == 0 ? '?' : '&').Append(part);
        }

        Add(page.Query.AsSpan().TrimStart('?'));
        if (query.Length > 1)
        {
            foreach (var part in query.TrimStart('?').Split('&'))
                if (!AddressQuery.IsOurs(part)) Add(part);
        }
        foreach (var (name, value) in ours) Add($"{name}={Uri.EscapeDataString(value)}");
        return page.GetLeftPart(UriPartial.Path) + parts + page.Fragment;
    }
}
