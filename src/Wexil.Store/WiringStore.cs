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

/// <summary>How outside pages are wired, and the links to show that to who looks after the site.</summary>
public sealed class WiringStore(Database database, Journal journal, TimeProvider time)
{
    public IReadOnlyDictionary<PageId, PageCheck> Checks() => database.Read(c => c.Rows(
        "SELECT page_id, checked_at, findings FROM page_checks",
        row => new PageCheck(new(row.GetInt64(0)), row.Time(1), JsonSerializer.Deserialize<Finding[]>(row.GetString(2))!))).ToDictionary(check => check.Page);

    public Task SaveAsync(PageCheck check) => journal.WriteAsync(c => c.Execute(
        "INSERT INTO page_checks VALUES ($1, $2, $3) ON CONFLICT DO UPDATE SET checked_at = excluded.checked_at, findings = excluded.findings",
        check.Page.Value, check.At.ToUnixTimeMilliseconds(), JsonSerializer.Serialize(check.Findings)));

    /// <summary>When what was last seen, as it was last written down.</summary>
    public IReadOnlyDictionary<string, DateTimeOffset> Seen() => database.Read(c => c.Rows("SELECT what, at FROM last_seen", row => (row.GetString(0), row.Time(1))).ToDictionary());

    public Task SaveSeenAsync(IReadOnlyCollection<KeyValuePair<string, DateTimeOffset>> seen) => journal.WriteAsync(c =>
    {
        foreach (var (what, at) in seen) c.Execute("INSERT INTO last_seen VALUES ($1, $2) ON CONFLICT DO UPDATE SET at = excluded.at", what, at.ToUnixTimeMilliseconds());
    });

    /// <summary>Links by which somebody without a sign-in sees how a funnel's pages are wired; they last two weeks.</summary>
    public SharedLinks Links { get; } = new(database, journal, time, "helper_links", "funnel_id", TimeSpan.FromDays(14));
}
