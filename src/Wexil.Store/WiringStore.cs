using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>What the last check of an outside page found.</summary>
public sealed record PageCheck(PageId Page, DateTimeOffset At, IReadOnlyList<Finding> Findings)
{
    public bool IsGood => Findings.All(finding => finding.Good != false);
}

/// <summary>A link by which somebody without a sign-in sees how a funnel's pages are wired.</summary>
public sealed record HelperLink(long Id, DateTimeOffset Until);

/// <summary>How outside pages are wired, and the links to show that to who looks after the site.</summary>
public sealed class WiringStore(Database database, Journal journal, TimeProvider time)
{
    private static readonly TimeSpan Lasts = TimeSpan.FromDays(14);

    public IReadOnlyDictionary<PageId, PageCheck> Checks() => database.Read(c => c.Rows(
        "SELECT page_id, checked_at, findings FROM page_checks",
        row => new PageCheck(new(row.GetInt64(0)), row.Time(1), JsonSerializer.Deserialize<Finding[]>(row.GetString(2))!))).ToDictionary(check => check.Page);

    public Task SaveAsync(PageCheck check) => journal.WriteAsync(c => c.Execute(
        "INSERT INTO page_checks VALUES ($1, $2, $3) ON CONFLICT DO UPDATE SET checked_at = excluded.checked_at, findings = excluded.findings",
        check.Page.Value, check.At.ToUnixTimeMilliseconds(), JsonSerializer.Serialize(check.Findings)));

    /// <summary>Makes a link for a funnel that lasts two weeks, and returns its token; only a hash of it is kept.</summary>
    public async Task<string> ShareAsync(FunnelId funnel)
    {
        var token = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(20));
        await journal.WriteAsync(c => c.Execute(
            "INSERT INTO helper_links (funnel_id, token_hash, until) VALUES ($1, $2, $3)", funnel.Value, Hash(token), (time.GetUtcNow() + Lasts).ToUnixTimeMilliseconds()));
        return token;
    }

    /// <summary>The links of a funnel that still open.</summary>
    public IReadOnlyList<HelperLink> Links(FunnelId funnel) => database.Read(c => c.Rows(
        "SELECT id, until FROM helper_links WHERE funnel_id = $1 AND until > $2 ORDER BY id", row => new HelperLink(row.GetInt64(0), row.Time(1)), funnel.Value, time.GetUtcNow().ToUnixTimeMilliseconds()));

    public Task WithdrawAsync(FunnelId funnel, long link) => journal.WriteAsync(c => c.Execute("DELETE FROM helper_links WHERE id = $1 AND funnel_id = $2", link, funnel.Value));

    /// <summary>The funnel that a token opens; null when it never did, was withdrawn or is over.</summary>
    public FunnelId? Open(string token) => database.Read(c =>
        c.Number("SELECT funnel_id FROM helper_links WHERE token_hash = $1 AND until > $2", Hash(token), time.GetUtcNow().ToUnixTimeMilliseconds()) is { } funnel ? new FunnelId(funnel) : (FunnelId?)null);

    private static byte[] Hash(string token) => SHA256.HashData(Encoding.UTF8.GetBytes(token));
}
