using System.Text.Json;
using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>Visitors that Wexil itself sends through a funnel before real ones are paid for.</summary>
/// <param name="EndedAt">Null while some are under way.</param>
public sealed record Rehearsal(
    DateTimeOffset StartedAt,
    DateTimeOffset? EndedAt,
    IReadOnlyList<RehearsalVisitor> Visitors
);

/// <summary>One of them, and what became of it.</summary>
/// <param name="Number">From 1.</param>
/// <param name="Device">What its browser says it is.</param>
/// <param name="Problem">Why it got no further; empty where it came to the end, null while it is under way.</param>
public sealed record RehearsalVisitor(
    VisitorId Id,
    int Number,
    Device Device,
    string? Problem,
    IReadOnlyList<RehearsalLine> Lines
);

/// <summary>One thing that a rehearsal visitor asked for, or that was recorded of it.</summary>
/// <param name="Recorded">What kind of event it would be of a visitor that counts; null for a request.</param>
/// <param name="Data">The event’s.</param>
/// <param name="Request">Null for an event.</param>
public sealed record RehearsalLine(
    DateTimeOffset At,
    EventKind? Recorded,
    StepId? Step,
    PageId? Page,
    string Data,
    RehearsalRequest? Request
);

/// <summary>What a rehearsal visitor asked for, or found.</summary>
/// <param name="Words">What it did: "Sent the opt-in form".</param>
/// <param name="Status">The answer's HTTP status; 0 for no answer, null where nothing was asked.</param>
/// <param name="Title">The title of the page that came; empty for none.</param>
/// <param name="IsProblem">The owner has something to mend here.</param>
public sealed record RehearsalRequest(
    string Words,
    Uri Address,
    int? Status = null,
    int Milliseconds = 0,
    string Title = "",
    bool IsProblem = false
);

/// <summary>Keeps the last rehearsal of each funnel.</summary>
public sealed class RehearsalStore(Database database, Journal journal, TimeProvider time)
{
    private const int Asked = 0;

    /// <summary>Begins a rehearsal; what is kept of the funnel's one before is wiped.</summary>
    public Task StartAsync(FunnelId funnel, IReadOnlyList<(VisitorId Id, Device Device)> visitors) =>
        journal.WriteAsync(c =>
        {
            Wipe(c, funnel);
            c.Execute("INSERT INTO rehearsals (funnel_id, started_at) VALUES ($1, $2)", funnel.Value, Now);
            for (var i = 0; i < visitors.Count; i++)
                c.Execute(
                    "INSERT INTO rehearsal_visitors (visitor, funnel_id, number, device) VALUES ($1, $2, $3, $4)",
                    Bytes(visitors[i].Id),
                    funnel.Value,
                    i + 1,
                    visitors[i].Device.ToString()
                );
            journal.ReadRehearsals(c);
        });

    /// <summary>Keeps a request; none of a rehearsal that was wiped meanwhile.</summary>
    public Task AskedAsync(VisitorId visitor, RehearsalRequest request) =>
        journal.WriteAsync(c =>
            c.Execute(
                """
                INSERT INTO rehearsal_lines (visitor, at, kind, data)
                SELECT visitor, $2, $3, $4 FROM rehearsal_visitors WHERE visitor = $1
                """,
                Bytes(visitor),
                Now,
                Asked,
                JsonSerializer.Serialize(request)
            )
        );

    /// <summary>Keeps how a visitor ended.</summary>
    /// <param name="problem">Empty where it came to the end.</param>
    public Task EndAsync(VisitorId visitor, string problem) =>
        journal.WriteAsync(c =>
            c.Execute("UPDATE rehearsal_visitors SET problem = $2 WHERE visitor = $1", Bytes(visitor), problem)
        );

    /// <summary>Ends a funnel's rehearsal, and those of its visitors that are still under way.</summary>
    /// <param name="why">What is said of those.</param>
    public Task EndAllAsync(FunnelId funnel, string why) =>
        journal.WriteAsync(c =>
        {
            c.Execute(
                "UPDATE rehearsal_visitors SET problem = $2 WHERE funnel_id = $1 AND problem IS NULL",
                funnel.Value,
                why
            );
            c.Execute("UPDATE rehearsals SET ended_at = $2 WHERE funnel_id = $1", funnel.Value, Now);
        });

    /// <summary>Forgets all of a funnel's rehearsal.</summary>
    public Task WipeAsync(FunnelId funnel) =>
        journal.WriteAsync(c =>
        {
            Wipe(c, funnel);
            journal.ReadRehearsals(c);
        });

    /// <summary>A funnel's last rehearsal; null where there is none.</summary>
    public Rehearsal? Find(FunnelId funnel) =>
        database.Read(c =>
        {
            var lines = Lines(c, funnel);
            var visitors = c.Rows(
                "SELECT visitor, number, device, problem FROM rehearsal_visitors WHERE funnel_id = $1 ORDER BY number",
                row => new RehearsalVisitor(
                    Visitor(row, 0),
                    row.GetInt32(1),
                    Enum.Parse<Device>(row.GetString(2)),
                    row.TextOrNull(3),
                    [.. lines[Visitor(row, 0)]]
                ),
                funnel.Value
            );
            return c.Rows(
                    "SELECT started_at, ended_at FROM rehearsals WHERE funnel_id = $1",
                    row => new Rehearsal(row.Time(0), row.TimeOrNull(1), visitors),
                    funnel.Value
                )
                .SingleOrDefault();
        });

    private long Now => time.GetUtcNow().ToUnixTimeMilliseconds();

    private static ILookup<VisitorId, RehearsalLine> Lines(SqliteConnection c, FunnelId funnel) =>
        c.Rows(
                """
                SELECT l.visitor, l.at, l.kind, l.step_id, l.page_id, l.data
                FROM rehearsal_visitors v JOIN rehearsal_lines l ON l.visitor = v.visitor
                WHERE v.funnel_id = $1 ORDER BY l.id
                """,
                row => (Visitor: Visitor(row, 0), Line: Line(row)),
                funnel.Value
            )
            .ToLookup(line => line.Visitor, line => line.Line);

    private static RehearsalLine Line(SqliteDataReader row)
    {
        var (kind, data) = (row.GetInt64(2), row.GetString(5));
        return new(
            row.Time(1),
            kind == Asked ? null : (EventKind)kind,
            row.NumberOrNull(3) is { } step ? new StepId(step) : null,
            row.NumberOrNull(4) is { } page ? new PageId(page) : null,
            data,
            kind == Asked ? JsonSerializer.Deserialize<RehearsalRequest>(data) : null
        );
    }

    private static void Wipe(SqliteConnection c, FunnelId funnel)
    {
        c.Execute(
            """
            DELETE FROM rehearsal_lines
            WHERE visitor IN (SELECT visitor FROM rehearsal_visitors WHERE funnel_id = $1)
            """,
            funnel.Value
        );
        c.Execute("DELETE FROM rehearsal_visitors WHERE funnel_id = $1", funnel.Value);
        c.Execute("DELETE FROM rehearsals WHERE funnel_id = $1", funnel.Value);
    }

    private static byte[] Bytes(VisitorId visitor) => visitor.Value.ToByteArray(bigEndian: true);

    private static VisitorId Visitor(SqliteDataReader row, int column) =>
        new(new Guid((byte[])row.GetValue(column), bigEndian: true));
}
