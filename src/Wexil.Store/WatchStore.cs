using Wexil.Core.Common;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>How an outside page answered when it was last looked at.</summary>
/// <param name="Failures">How many looks in a row it did not answer.</param>
/// <param name="Problem">What was wrong, in words; null when it answered.</param>
/// <param name="DownSince">Since when it is reported as down.</param>
public sealed record PageLook(PageId Page, DateTimeOffset At, int Failures, string? Problem, DateTimeOffset? DownSince);

/// <summary>What the watch over outside pages saw last.</summary>
public sealed class WatchStore(Database database, Journal journal)
{
    /// <summary>The last look at each page that is watched.</summary>
    public IReadOnlyDictionary<PageId, PageLook> All() =>
        database
            .Read(c =>
                c.Rows("SELECT page_id, looked_at, failures, problem, down_since FROM page_watch", row => new PageLook(
                    new(row.GetInt64(0)),
                    row.Time(1),
                    row.GetInt32(2),
                    row.TextOrNull(3),
                    row.TimeOrNull(4)
                ))
            )
            .ToDictionary(look => look.Page);

    /// <summary>Keeps what a round of looks saw.</summary>
    public Task SaveAsync(IReadOnlyCollection<PageLook> looks) =>
        journal.WriteAsync(c =>
        {
            foreach (var look in looks)
                c.Execute(
                    """
                    INSERT INTO page_watch VALUES ($1, $2, $3, $4, $5)
                    ON CONFLICT DO UPDATE SET looked_at = excluded.looked_at, failures = excluded.failures,
                      problem = excluded.problem, down_since = excluded.down_since
                    """,
                    look.Page.Value,
                    look.At.ToUnixTimeMilliseconds(),
                    look.Failures,
                    look.Problem,
                    look.DownSince?.ToUnixTimeMilliseconds()
                );
        });
}
