using System.Data;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>An opt-in that looks like a program's.</summary>
public sealed record HeldOptIn(
    long Id,
    StepId Step,
    PageId Page,
    VisitorId Visitor,
    string Email,
    string Fields,
    DateTimeOffset At
);

/// <summary>Opt-ins that are kept apart until the owner looks at them.</summary>
public sealed class HeldOptInStore(Database database, Journal journal)
{
    /// <summary>How many are kept at most; beyond that the oldest goes, so that no program fills the disk.</summary>
    public const int MaxCount = 1000;

    /// <summary>Holds an opt-in back, at the moment when it came.</summary>
    public Task HoldAsync(StepId step, PageId page, VisitorId visitor, OptInNote note, DateTimeOffset at) =>
        journal.WriteAsync(c =>
        {
            c.Execute(
                """
                INSERT INTO held_opt_ins (step_id, page_id, visitor, email, fields, at)
                VALUES ($1, $2, $3, $4, $5, $6)
                """,
                step.Value,
                page.Value,
                visitor.Value.ToByteArray(bigEndian: true),
                note.Email,
                note.ToString(),
                at.ToUnixTimeMilliseconds()
            );
            c.Execute("DELETE FROM held_opt_ins WHERE id <= (SELECT max(id) FROM held_opt_ins) - $1", MaxCount);
        });

    /// <summary>The newest first.</summary>
    public IReadOnlyList<HeldOptIn> Newest(int most) =>
        database.Read(c =>
            c.Rows(
                "SELECT id, step_id, page_id, visitor, email, fields, at FROM held_opt_ins ORDER BY id DESC LIMIT $1",
                Map,
                most
            )
        );

    /// <summary>How many are held.</summary>
    public long Count() => database.Read(c => c.Number("SELECT count(*) FROM held_opt_ins") ?? 0);

    /// <summary>
    /// Takes one in as if nothing had been held: it is a person and a conversion from then on, at the time when it
    /// came.
    /// </summary>
    /// <returns>Null where it is gone.</returns>
    public async Task<HeldOptIn?> TakeInAsync(long id)
    {
        if (
            database
                .Read(c =>
                    c.Rows(
                        "SELECT id, step_id, page_id, visitor, email, fields, at FROM held_opt_ins WHERE id = $1",
                        Map,
                        id
                    )
                )
                .SingleOrDefault()
            is not { } held
        )
            return null;
        // Its own id, so that a second click takes in nothing more.
        var token = NameBasedId.From($"held {held.Id} {held.At:O}");
        await journal.AppendAsync(
            new(token, held.At, EventKind.OptIn, held.Visitor, held.Step, held.Page, Data: held.Fields)
        );
        await DeleteAsync(id);
        return held;
    }

    /// <summary>Deletes one; nothing of it is kept.</summary>
    public Task DeleteAsync(long id) =>
        journal.WriteAsync(c =>
        {
            c.Execute("DELETE FROM held_opt_ins WHERE id = $1", id);
        });

    private static HeldOptIn Map(Microsoft.Data.Sqlite.SqliteDataReader row) =>
        new(
            row.GetInt64("id"),
            new(row.GetInt64("step_id")),
            new(row.GetInt64("page_id")),
            new(new Guid(row.GetFieldValue<byte[]>("visitor"), bigEndian: true)),
            row.GetString("email"),
            row.GetString("fields"),
            row.Time("at")
        );
}
