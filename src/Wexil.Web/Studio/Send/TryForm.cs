using Wexil.Core.Common;
using Wexil.Core.Targeting;
using Wexil.Core.Visitors;

namespace Wexil.Web.Studio.Send;

/// <summary>The visitor as whom the owner tries a link or the rules.</summary>
public sealed class TryForm
{
    /// <summary>The address by which the visitor comes: its parameters count. Empty for the step's link.</summary>
    public string? Address { get; set; }
    public Device Device { get; set; }
    public string? Country { get; set; }
    public string? Language { get; set; }
    public bool Returning { get; set; }

    /// <summary>A tag; empty for the one that the address names.</summary>
    public string? Source { get; set; }

    /// <summary>The page to be shown; null for the one that is drawn.</summary>
    public long? Page { get; set; }

    /// <summary>The parameters of the address, from the question mark on.</summary>
    public string Query =>
        Address is { Length: > 0 } address && address.IndexOf('?') is >= 0 and var at
            ? address[at..].Split('#')[0]
            : "";

    /// <summary>What is known of such a visitor; a country or language that does not exist is none.</summary>
    /// <param name="query">The parameters by which the visitor comes; may be empty.</param>
    /// <param name="isAffiliate">Whether a tag is an affiliate's.</param>
    /// <param name="affiliateParameter">The parameter that names an affiliate.</param>
    public Traits Read(string query, Func<string, bool> isAffiliate, string affiliateParameter)
    {
        var source = SourceTag.From(
            Source ?? AddressQuery.Value(query, SourceTag.Parameter) ?? AddressQuery.Value(query, "utm_source")
        );
        return new(
            Device,
            Names.IsCountry(Country ?? "") ? Country!.ToUpperInvariant() : "",
            Names.IsLanguage(Language ?? "") ? Language!.ToLowerInvariant() : "",
            Returning,
            source,
            isAffiliate(source) || AddressQuery.Value(query, affiliateParameter) is not null
        );
    }
}
