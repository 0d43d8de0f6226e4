using System.Data;
using System.Text.Json;
using Wexil.Core.AdNetworks;
using Wexil.Core.Common;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>What kind of message goes out; the numbers are stored.</summary>
public enum OutboxKind
{
    /// <summary>An opt-in for the owner's mail service.</summary>
    Forward = 1,

    /// <summary>A mail that asks for a confirmation.</summary>
    Confirm = 2,

    /// <summary>An ad network is told what became of its click.</summary>
    Postback = 3,

    /// <summary>The owner is told of something.</summary>
    Owner = 4,
}

/// <summary>Something that is to go out.</summary>
/// <param name="Fields">What goes, as it is stored.</param>
/// <param name="Tries">How often it was tried before.</param>
/// <param name="Source">The ad network that is told; null for what belongs to an opt-in.</param>
public sealed record OutboxMessage(
    long Id,
    OutboxKind Kind,
    StepId Step,
    string Email,
    string Fields,
    int Tries,
    SourceId? Source
)
{
    /// <summary>What was filled in, by the name of the field.</summary>
    public IReadOnlyDictionary<string, string> OptInFields => OptInNote.ReadFields(Fields);

    /// <summary>The subject and the words of a mail to the owner.</summary>
    public (string Subject, string Words) Mail => (OptInFields["subject"], OptInFields["words"]);

    /// <summary>What an ad network is told.</summary>
    public Postback Postback => JsonSerializer.Deserialize<Postback>(Fields)!;
}

/// <summary>
/// Things that go to the same place, one after the other: a step's opt-ins to its mail service, an ad network's
/// postbacks, mail.
/// </summary>
public readonly record struct OutboxLane(OutboxKind Kind, StepId Step, SourceId? Source);

/// <summary>Something that has not gone out yet.</summary>
/// <param name="Next">When it is tried next; null when it was given up.</param>
/// <param name="Problem">Why it did not go; null when it was not tried yet.</param>
public sealed record Waiting(OutboxMessage What, DateTimeOffset? Next, string? Problem);

/// <summary>What went, what waits and what failed.</summary>
public sealed record OutboxState(long Done, long Waiting, long Failed, string? Problem);

/// <summary>What goes out behind the visitor's back, each once, and is tried again where it is not taken.</summary>
public sealed class OutboxStore(Database database, Journal journal, TimeProvider time)
{
    /// <summary>Minutes to wait after each try; after the last it is given up, and said so.</summary>
    private static readonly int[] Waits = [1, 5, 15, 60, 240, 720, 1440];

    private const string StateColumns =
        "count(done_at), count(next_at), count(*) FILTER (WHERE next_at IS NULL AND done_at IS NULL), "
        + "max(problem) FILTER (WHERE done_at IS NULL)";

    private const string Columns = "id, kind, step_id, email, fields, tries, source_id";

    /// <summary>The lanes in which something is due.</summary>
    public IReadOnlyList<OutboxLane> DueLanes() =>
        database.Read(c =>
            c.Rows(
                "SELECT DISTINCT kind, step_id, source_id FROM outgoing WHERE next_at <= $1",
                row => new OutboxLane(
                    (OutboxKind)row.GetInt32(0),
                    new(row.GetInt64(1)),
                    row.NumberOrNull(2) is { } source ? new(source) : null
                ),
                Now
            )
        );

    /// <summary>What is due in a lane, the oldest first, at most so many.</summary>
    public IReadOnlyList<OutboxMessage> Due(OutboxLane lane, int most) =>
        database.Read(c =>
            c.Rows(
                $"""
                SELECT {Columns}
                FROM outgoing
                WHERE kind = $1 AND step_id = $2 AND source_id IS $3 AND next_at <= $4
                ORDER BY next_at LIMIT $5
                """,
                One,
                (int)lane.Kind,
                lane.Step.Value,
                lane.Source?.Value,
                Now,
                most
            )
        );

    /// <summary>
    /// What waits or was given up, the one that is tried next first and what was given up last; at most so many.
    /// </summary>
    public IReadOnlyList<Waiting> Waiting(int most) =>
        database.Read(c =>
            c.Rows(
                $"""
                SELECT {Columns}, next_at, problem
                FROM outgoing
                WHERE done_at IS NULL
                ORDER BY next_at IS NULL, next_at, id LIMIT $1
                """,
                row => new Waiting(
                    One(row),
                    row.NumberOrNull("next_at") is { } at ? DateTimeOffset.FromUnixTimeMilliseconds(at) : null,
                    row.TextOrNull("problem")
                ),
                most
            )
        );

    /// <summary>What waits, and what was given up, of all lanes.</summary>
    public (long Waiting, long Failed) Unsent() =>
        database.Read(c =>
            c.Rows("SELECT count(next_at), count(*) - count(next_at) FROM outgoing WHERE done_at IS NULL", row =>
                    (row.GetInt64(0), row.GetInt64(1))
                )
                .Single()
        );

    /// <summary>Takes something out of the queue that has not gone: it never goes.</summary>
    public Task DeleteAsync(long id) =>
        journal.WriteAsync(c => c.Execute("DELETE FROM outgoing WHERE id = $1 AND done_at IS NULL", id));

    /// <summary>Empties the queue of what waits and what was given up.</summary>
    public Task DeleteUnsentAsync() => journal.WriteAsync(c => c.Execute("DELETE FROM outgoing WHERE done_at IS NULL"));

    /// <summary>Tries everything at once that waits or was given up.</summary>
    public Task AllAgainAsync() =>
        journal.WriteAsync(c => c.Execute("UPDATE outgoing SET tries = 0, next_at = $1 WHERE done_at IS NULL", Now));

    /// <summary>Has a mail to the owner go out.</summary>
    public Task AddMailAsync(string to, string subject, string words) =>
        journal.WriteAsync(c =>
            c.Execute(
                "INSERT INTO outgoing (cause, kind, step_id, email, fields, next_at) VALUES ($1, $2, 0, $3, $4, $5)",
                Guid.NewGuid().ToByteArray(),
                (int)OutboxKind.Owner,
                to,
                JsonSerializer.Serialize(new Dictionary<string, string> { ["subject"] = subject, ["words"] = words }),
                time.GetUtcNow().ToUnixTimeMilliseconds()
            )
        );

    /// <summary>It went out.</summary>
    public Task DoneAsync(OutboxMessage sent) =>
        journal.WriteAsync(c =>
            c.Execute(
                "UPDATE outgoing SET done_at = $2, next_at = NULL, problem = NULL WHERE id = $1",
                sent.Id,
                time.GetUtcNow().ToUnixTimeMilliseconds()
            )
        );

    /// <summary>It did not go out; it is tried again later, until it is given up after two days.</summary>
    public Task FailedAsync(OutboxMessage failed, string problem) =>
        journal.WriteAsync(c =>
            c.Execute(
                "UPDATE outgoing SET tries = tries + 1, problem = $2, next_at = $3 WHERE id = $1",
                failed.Id,
                problem,
                failed.Tries < Waits.Length
                    ? time.GetUtcNow().AddMinutes(Waits[failed.Tries]).ToUnixTimeMilliseconds()
                    : null
            )
        );

    /// <summary>What became of what a step's opt-ins asked for.</summary>
    public OutboxState State(StepId step) =>
        database.Read(c =>
            c.Rows($"SELECT {StateColumns} FROM outgoing WHERE step_id = $1 AND source_id IS NULL", Map, step.Value)
                .Single()
        );

    /// <summary>What became of what an ad network is told.</summary>
    public OutboxState State(SourceId source) =>
        database.Read(c =>
            c.Rows($"SELECT {StateColumns} FROM outgoing WHERE source_id = $1", Map, source.Value).Single()
        );

    /// <summary>Tries once more what was given up.</summary>
    public Task AgainAsync(StepId step) => AgainAsync("step_id = $1 AND source_id IS NULL", step.Value);

    /// <summary>Tries once more what an ad network was not told.</summary>
    public Task AgainAsync(SourceId source) => AgainAsync("source_id = $1", source.Value);

    private Task AgainAsync(string which, long id) =>
        journal.WriteAsync(c =>
            c.Execute(
                $"UPDATE outgoing SET tries = 0, next_at = $2 WHERE {which} AND done_at IS NULL AND next_at IS NULL",
                id,
                time.GetUtcNow().ToUnixTimeMilliseconds()
            )
        );

    private long Now => time.GetUtcNow().ToUnixTimeMilliseconds();

    private static OutboxMessage One(Microsoft.Data.Sqlite.SqliteDataReader row) =>
        new(
            row.GetInt64("id"),
            (OutboxKind)row.GetInt32("kind"),
            new(row.GetInt64("step_id")),
            row.GetString("email"),
            row.GetString("fields"),
            row.GetInt32("tries"),
            row.NumberOrNull("source_id") is { } source ? new(source) : null
        );

    private static OutboxState Map(Microsoft.Data.Sqlite.SqliteDataReader row) =>
        new(row.GetInt64(0), row.GetInt64(1), row.GetInt64(2), row.TextOrNull(3));
}
