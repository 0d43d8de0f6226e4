using Wexil.Core.Common;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>What becomes of a step's opt-ins.</summary>
/// <param name="ForwardTo">The form address of the owner's mail service; null for none.</param>
/// <param name="Fields">What each field is called there, by its name in our form; "email" is the address.</param>
/// <param name="Confirms">Who opts in is asked by e-mail whether it was them.</param>
public sealed record OptInSettings(
    Uri? ForwardTo,
    IReadOnlyDictionary<string, string> Fields,
    bool Confirms,
    string Subject,
    string Words
)
{
    /// <summary>Nothing is forwarded and nobody is asked for a confirmation.</summary>
    public static readonly OptInSettings Default = new(
        null,
        new Dictionary<string, string> { ["email"] = "email" },
        false,
        "Please confirm your e-mail address",
        "Click to confirm, and we will send what you asked for:"
    );
}

/// <summary>What becomes of opt-ins.</summary>
public sealed class OptInStore(Database database, Journal journal, TimeProvider time)
{
    /// <summary>The settings of a step; the default where none are set.</summary>
    public OptInSettings ForStep(StepId step) =>
        database.Read(c =>
            c.Rows(
                    """
                    SELECT forward_to, fields, forwards_since, subject, words, confirms_since
                    FROM opt_in_settings
                    WHERE step_id = $1
                    """,
                    row => new OptInSettings(
                        row.GetString(0) is { Length: > 0 } address ? new Uri(address) : null,
                        OptInNote.ReadFields(row.GetString(1)),
                        !row.IsDBNull(5),
                        row.GetString(3),
                        row.GetString(4)
                    ),
                    step.Value
                )
                .SingleOrDefault()
        ) ?? OptInSettings.Default;

    /// <summary>Sets what becomes of opt-ins from now on.</summary>
    public Task SetAsync(StepId step, OptInSettings settings) =>
        journal.WriteAsync(c =>
        {
            var now = time.GetUtcNow().ToUnixTimeMilliseconds();
            c.Execute(
                """
                INSERT INTO opt_in_settings VALUES ($1, $2, $3, $4, $5, $6, $7) ON CONFLICT DO UPDATE
                  SET forward_to = excluded.forward_to, fields = excluded.fields,
                  forwards_since = CASE WHEN excluded.forwards_since IS NULL THEN NULL
                    ELSE coalesce(forwards_since, excluded.forwards_since) END, subject = excluded.subject,
                    words = excluded.words,
                  confirms_since = CASE WHEN excluded.confirms_since IS NULL THEN NULL
                    ELSE coalesce(confirms_since, excluded.confirms_since) END
                """,
                step.Value,
                settings.ForwardTo?.AbsoluteUri ?? "",
                System.Text.Json.JsonSerializer.Serialize(settings.Fields),
                settings.ForwardTo is null ? null : now,
                settings.Subject,
                settings.Words,
                settings.Confirms ? now : null
            );
        });

    /// <summary>Somebody said that an address is theirs.</summary>
    public Task<Recorded> ConfirmAsync(StepId step, string email) =>
        journal.AppendAsync(
            new(
                Guid.CreateVersion7(time.GetUtcNow()),
                time.GetUtcNow(),
                EventKind.Confirmed,
                new(Guid.CreateVersion7(time.GetUtcNow())),
                step,
                default,
                Data: email
            )
        );
}
