using System.Collections.Concurrent;
using Microsoft.AspNetCore.DataProtection;
using Wexil.Core.Funnels;

namespace Wexil.Web.Shared;

/// <summary>
/// Unsaved sources on their way from Studio to a preview frame on the visitors' host. A signed ticket that lives an hour opens
/// one; it is shown without scripts and never counted.
/// </summary>
public sealed class Drafts(IDataProtectionProvider protection)
{
    private const int Most = 20;
    private readonly ITimeLimitedDataProtector _protector = protection.CreateProtector("draft").ToTimeLimitedDataProtector();
    private readonly ConcurrentDictionary<long, string> _sources = [];

    public string Ticket(PageId page) => _protector.Protect(page.Value.ToString(System.Globalization.CultureInfo.InvariantCulture), TimeSpan.FromHours(1));

    public void Put(PageId page, string source)
    {
        if (_sources.Count >= Most) _sources.Clear();
        _sources[page.Value] = source;
    }

    public void Drop(PageId page) => _sources.TryRemove(page.Value, out _);

    /// <summary>The page that a ticket opens, and its unsaved source if there is one; null for a ticket that is not ours or over.</summary>
    public (PageId Page, string? Source)? Open(string ticket)
    {
        try
        {
            var page = long.Parse(_protector.Unprotect(ticket), System.Globalization.CultureInfo.InvariantCulture);
            return (new(page), _sources.GetValueOrDefault(page));
        }
        catch (System.Security.Cryptography.CryptographicException)
        {
            return null;
        }
    }
}
