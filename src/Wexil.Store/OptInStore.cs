using Wexil.Core.Funnels;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>What becomes of a step's opt-ins.</summary>
/// <param name="ForwardTo">The form address of the owner's mail service; null for none.</param>
/// <param name="Fields">What each field is called there, by its name in our form; "email" is the address.</param>
/// <param name="Confirms">Who opts in is asked by e-mail whether it was them.</param>
public sealed record OptInSettings(Uri? ForwardTo, IReadOnlyDictionary<string, string> Fields, bool Confirms, string Subject, string Words)
{
    public static readonly OptInSettings Usual = new(
        null, new Dictionary<string, string> { ["email"] = "email" }, false, "Please confirm your e-mail address", "One click, and what you asked for is on its way:");
}

public enum OutgoingKind
{
    /// <summary>An opt-in for the owner's mail service.</summary>
    Forward = 1,

    /// <summary>A mail that asks for a confirmation.</summary>
    Confirm = 2,
}

/// <summary>Something that is to go out.</summary>
/// <param name="Tries">How often it was tried before.</param>
public sealed record Outgoing(long Id, OutgoingKind Kind, StepId Step, string Email, IReadOnlyDictionary<string, string> Fields, int Tries);

/// <summary>What waits and what failed.</summary>
public sealed record OutgoingState(long Waiting, long Failed, string? Problem);

/// <summary>What becomes of opt-ins, and what has to go out for them.</summary>
public sealed class OptInStore(Database database, Journal journal, TimeProvider time)
{
    /// <summary>Minutes to wait after each try; after the last it is given up, and said so.</summary>
    private static readonly int[] Waits = [1, 5, 15, 60, 240, 720, 1440];

    public OptInSettings Of(StepId step) => database.Read(c => c.Rows(
        "SELECT forward_to, fields, forwards_since, subject, words, confirms_since FROM opt_in_settings WHERE step_id = $1",
        row => new OptInSettings(
            row.GetString(0) is { Length: > 0 } address ? new Uri(address) : null, OptInNote.ReadFields(row.GetString(1)), !row.IsDBNull(5), row.GetString(3), row.GetString(4)), step.Value).SingleOrDefault())
        ?? OptInSettings.Usual;

    /// <summary>Sets what becomes of opt-ins from now on.</summary>
    public Task SetAsync(StepId step, OptInSettings settings) => journal.WriteAsync(c =>
    {
        var now = time.GetUtcNow().ToUnixTimeMilliseconds();
        c.Execute(
            """
            INSERT INTO opt_in_settings VALUES ($1, $2, $3, $4, $5, $6, $7) ON CONFLICT DO UPDATE SET forward_to = excluded.forward_to, fields = excluded.fields,
              forwards_since = CASE WHEN excluded.forwards_since IS NULL THEN NULL ELSE coalesce(forwards_since, excluded.forwards_since) END, subject = excluded.subject, words = excluded.words,
              confirms_since = CASE WHEN excluded.confirms_since IS NULL THEN NULL ELSE coalesce(confirms_since, excluded.confirms_since) END
            """,
            step.Value, settings.ForwardTo?.AbsoluteUri ?? "", System.Text.Json.JsonSerializer.Serialize(settings.Fields), settings.ForwardTo is null ? null : now, settings.Subject, settings.Words, settings.Confirms ? now : null);
    });

    /// <summary>What is due, the oldest first, at most so many.</summary>
    public IReadOnlyList<Outgoing> Due(int most) => database.Read(c => c.Rows(
        "SELECT id, kind, step_id, email, fields, tries FROM outgoing WHERE next_at <= $1 ORDER BY next_at LIMIT $2",
        row => new Outgoing(row.GetInt64(0), (OutgoingKind)row.GetInt32(1), new(row.GetInt64(2)), row.GetString(3), OptInNote.ReadFields(row.GetString(4)), row.GetInt32(5)), time.GetUtcNow().ToUnixTimeMilliseconds(), most));

    public Task DoneAsync(Outgoing sent) => journal.WriteAsync(c => c.Execute(
        "UPDATE outgoing SET done_at = $2, next_at = NULL, problem = NULL WHERE id = $1", sent.Id, time.GetUtcNow().ToUnixTimeMilliseconds()));

    /// <summary>It did not go out; it is tried again later, until it is given up after two days.</summary>
    public Task FailedAsync(Outgoing failed, string problem) => journal.WriteAsync(c => c.Execute(
        "UPDATE outgoing SET tries = tries + 1, problem = $2, next_at = $3 WHERE id = $1", failed.Id, problem,
        failed.Tries < Waits.Length ? time.GetUtcNow().AddMinutes(Waits[failed.Tries]).ToUnixTimeMilliseconds() : null));

    public OutgoingState State(StepId step) => database.Read(c => c.Rows(
        "SELECT count(next_at), count(*) FILTER (WHERE next_at IS NULL AND done_at IS NULL), max(problem) FROM outgoing WHERE step_id = $1 AND done_at IS NULL",
        row => new OutgoingState(row.GetInt64(0), row.GetInt64(1), row.TextOrNull(2)), step.Value).Single());

    /// <summary>Tries once more what was given up.</summary>
    public Task AgainAsync(StepId step) => journal.WriteAsync(c => c.Execute(
        "UPDATE outgoing SET tries = 0, next_at = $2 WHERE step_id = $1 AND done_at IS NULL AND next_at IS NULL", step.Value, time.GetUtcNow().ToUnixTimeMilliseconds()));

    /// <summary>Somebody said that an address is theirs.</summary>
    public Task<Recorded> ConfirmAsync(StepId step, string email) =>
        journal.AppendAsync(new(Guid.CreateVersion7(time.GetUtcNow()), time.GetUtcNow(), EventKind.Confirmed, new(Guid.CreateVersion7(time.GetUtcNow())), step, default, Data: email));
}
