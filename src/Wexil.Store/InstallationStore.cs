using System.Globalization;
using System.Text.Json;
using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>What the last check of an outside page found.</summary>
public sealed record PageCheck(PageId Page, DateTimeOffset At, IReadOnlyList<Finding> Findings)
{
    /// <summary>Nothing that was found is wrong.</summary>
    public bool IsGood => Findings.All(finding => finding.Good != false);

    /// <summary>Nothing could be told of the page: it lies at a private address, which is not asked.</summary>
    public bool IsBlind => Findings.All(finding => finding.Good is null);
}

/// <summary>How outside pages are wired, and the links that show it to those who look after the site.</summary>
public sealed class InstallationStore(Database database, Journal journal, TimeProvider time)
{
    /// <summary>The last check of each outside page.</summary>
    public IReadOnlyDictionary<PageId, PageCheck> Checks() =>
        database
            .Read(c =>
                c.Rows("SELECT page_id, checked_at, findings FROM page_checks", row => new PageCheck(
                    new(row.GetInt64(0)),
                    row.Time(1),
                    JsonSerializer.Deserialize<Finding[]>(row.GetString(2))!
                ))
            )
            .ToDictionary(check => check.Page);

    /// <summary>Keeps a check in place of the page’s last one.</summary>
    public Task SaveAsync(PageCheck check) =>
        journal.WriteAsync(c =>
            c.Execute(
                """
                INSERT INTO page_checks VALUES ($1, $2, $3)
                ON CONFLICT DO UPDATE SET checked_at = excluded.checked_at, findings = excluded.findings
                """,
                check.Page.Value,
                check.At.ToUnixTimeMilliseconds(),
                JsonSerializer.Serialize(check.Findings)
            )
        );

    /// <summary>Where a page that answered was found.</summary>
    /// <param name="found">Its address after redirects.</param>
    /// <returns>True when that is elsewhere than before.</returns>
    public Task<bool> SaveFoundAsync(PageId page, Uri found) =>
        journal.WriteAsync(c =>
        {
            if (c.Text("SELECT outside FROM pages WHERE id = $1", page.Value) is not { } own)
                return false;
            var leadsTo = new OutsideAddress(found).IsSamePlace(new(new Uri(own))) ? null : found.AbsoluteUri;
            return c.Execute("UPDATE pages SET leads_to = $2 WHERE id = $1 AND leads_to IS NOT $2", page.Value, leadsTo)
                > 0;
        });

    /// <summary>
    /// The steps of a funnel that most of their newest visitors came to as ones who were at an earlier step: browsers
    /// and links pass on who they are.
    /// </summary>
    public IReadOnlySet<StepId> Recognized(FunnelId funnel) =>
        database
            .Read(c =>
                c.Rows(
                    """
                    WITH newest AS (
                      SELECT funnel_id, steps FROM visitors WHERE visitor > x'' ORDER BY visitor DESC LIMIT 5000),
                    path AS (
                      SELECT s.id, 1 << s.number bit, (
                        SELECT sum(1 << e.number) FROM steps e
                        WHERE e.funnel_id = s.funnel_id AND e.position < s.position AND e.number < 63) earlier
                      FROM steps s
                      WHERE s.funnel_id = $1 AND s.number < 63)
                    SELECT p.id
                    FROM path p JOIN newest n ON n.funnel_id = $1 AND n.steps & p.bit
                    GROUP BY p.id
                    HAVING 2 * sum(n.steps & p.earlier <> 0) >= count(*)
                    """,
                    row => new StepId(row.GetInt64(0)),
                    funnel.Value
                )
            )
            .ToHashSet();

    /// <summary>When what was last seen, as it was last written down.</summary>
    public IReadOnlyDictionary<string, DateTimeOffset> Seen() =>
        database.Read(c =>
            c.Rows("SELECT what, at FROM last_seen", row => (row.GetString(0), row.Time(1))).ToDictionary()
        );

    /// <summary>Writes down when each page, by its key, was last seen.</summary>
    public Task SaveSeenAsync(IReadOnlyCollection<KeyValuePair<string, DateTimeOffset>> seen) =>
        journal.WriteAsync(c =>
        {
            foreach (var (what, at) in seen)
                c.Execute(
                    "INSERT INTO last_seen VALUES ($1, $2) ON CONFLICT DO UPDATE SET at = excluded.at",
                    what,
                    at.ToUnixTimeMilliseconds()
                );
        });

    /// <summary>Says which pages a link shows; without any it shows all.</summary>
    /// <param name="token">The link's own.</param>
    public Task ChooseAsync(string token, IReadOnlyCollection<PageId> chosen) =>
        journal.WriteAsync(c =>
        {
            c.Execute(
                "UPDATE helper_links SET pages = $2 WHERE token_hash = $1",
                SharedLinks.Hash(token),
                string.Join(',', chosen.Select(page => page.Value))
            );
        });

    /// <summary>The pages that a link shows; null for all.</summary>
    public IReadOnlySet<PageId>? Chosen(string token) =>
        database.Read(c => c.Text("SELECT pages FROM helper_links WHERE token_hash = $1", SharedLinks.Hash(token)))
            is { Length: > 0 } chosen
            ? chosen.Split(',').Select(page => new PageId(long.Parse(page, CultureInfo.InvariantCulture))).ToHashSet()
            : null;

    /// <summary>
    /// Links by which somebody without a sign-in sees how a funnel's pages are wired; they last two weeks.
    /// </summary>
    public SharedLinks Links { get; } =
        new(database, journal, time, "helper_links", "funnel_id", TimeSpan.FromDays(14));
}
