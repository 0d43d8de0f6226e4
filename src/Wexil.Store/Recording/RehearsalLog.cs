using System.Collections.Frozen;
using Microsoft.Data.Sqlite;
using Wexil.Core.Visitors;

namespace Wexil.Store.Recording;

/// <summary>
/// Keeps what rehearsal visitors do beside the events, where nothing counts it. Who is known by heart, so that ids that
/// somebody made up cost nothing.
/// </summary>
internal sealed class RehearsalLog
{
    private volatile FrozenSet<VisitorId> _known = [];

    /// <summary>Is the visitor of a rehearsal that is kept?</summary>
    public bool Knows(VisitorId visitor) => _known.Contains(visitor);

    /// <summary>Reads anew who is rehearsing.</summary>
    public void Read(SqliteConnection c) =>
        _known = c.Rows("SELECT visitor FROM rehearsal_visitors", row => new VisitorId(
                new Guid((byte[])row.GetValue(0), bigEndian: true)
            ))
            .ToFrozenSet();

    /// <summary>Writes what would have been recorded of a visitor that counts.</summary>
    public static void Write(SqliteConnection c, JournalEvent happened) =>
        c.Execute(
            """
            INSERT OR IGNORE INTO rehearsal_lines (visitor, event_id, at, kind, step_id, page_id, data)
            SELECT visitor, $2, $3, $4, $5, $6, $7 FROM rehearsal_visitors WHERE visitor = $1
            """,
            happened.Visitor.Value.ToByteArray(bigEndian: true),
            happened.Id.ToByteArray(bigEndian: true),
            happened.At.ToUnixTimeMilliseconds(),
            (long)happened.Kind,
            happened.Step == default ? null : happened.Step.Value,
            happened.Page == default ? null : happened.Page.Value,
            happened.Data ?? ""
        );
}
