using System.Security.Cryptography;
using System.Text;
using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>A page's source as it is being worked on.</summary>
/// <param name="Position">How many edits led here, and can be undone.</param>
/// <param name="Last">How many edits there are, those undone included.</param>
/// <param name="Revision">How often anything was done to the draft, undoing included; it never goes back.</param>
public sealed record PageDraft(string Source, int Position, int Last, long Revision)
{
    /// <summary>There is an edit to take back.</summary>
    public bool CanUndo => Position > 0;

    /// <summary>There is an edit to do again.</summary>
    public bool CanRedo => Position < Last;
}

/// <summary>Who does something to a draft, and what they saw.</summary>
/// <param name="At">The revision that the person saw.</param>
/// <param name="Token">The same when it is sent again: what is sent twice is done once.</param>
/// <param name="Sitting">The same for edits that are undone together; null for one that stands by itself.</param>
public sealed record DraftAuthor(long At, Guid Token, Guid? Sitting = null);

/// <summary>Why an edit was not made.</summary>
public enum DraftRefusal
{
    /// <summary>Somebody changed the same part meanwhile.</summary>
    SamePart,

    /// <summary>Something else was done meanwhile, and what was asked for is no longer the same.</summary>
    Moved,

    /// <summary>So much was done meanwhile that what the person saw is not known any more.</summary>
    TooOld,

    /// <summary>There is nothing to undo, or to do again.</summary>
    Nothing,
}

/// <summary>How a draft stands after something was asked for.</summary>
/// <param name="Refusal">Null where it was done.</param>
/// <param name="Label">What was done, in a few words; empty where nothing was.</param>
/// <param name="Change">What was done to the source that the person saw; null where nothing was, or more than
/// that.</param>
/// <param name="IsMerged">Something else had been done since the revision that the person saw, and stands beside it
/// now.</param>
public sealed record DraftStep(
    PageDraft Draft,
    string Label,
    DraftRefusal? Refusal = null,
    TextChange? Change = null,
    bool IsMerged = false
);

/// <summary>Drafts of pages, each edit kept so that it can be undone; visitors never see them.</summary>
public sealed class DraftStore(Database database, Journal journal)
{
    /// <summary>How many changes of a draft are remembered, for windows that have fallen behind.</summary>
    public const int Remembered = 300;

    /// <summary>The page's draft; where there is none, what is published.</summary>
    public PageDraft For(Page page) => database.Read(c => Read(c, page));

    /// <summary>The hash of the page's source as it stands, without reading it.</summary>
    public string Hash(Page page) =>
        database.Read(c =>
            c.Rows(
                    """
                    SELECT coalesce(
                      (SELECT hash FROM drafts WHERE page_id = $1),
                      (SELECT hash FROM version_files WHERE page_id = $1 AND version = $2 AND path = $3)
                    )
                    """,
                    row => Convert.ToHexStringLower(row.GetFieldValue<byte[]>(0)),
                    page.Id.Value,
                    page.Revision,
                    page.Entry
                )
                .Single()
        );

    /// <summary>The source as it was at a revision; null when that is not remembered any more.</summary>
    public string? SourceAt(Page page, long revision) =>
        database.Read(c =>
        {
            var draft = Read(c, page);
            if (revision == draft.Revision)
                return draft.Source;
            return Since(c, page.Id, revision) is { } changes
                ? changes.Reverse().Aggregate(draft.Source, (source, change) => change.Reversed.Apply(source)!)
                : null;
        });

    /// <summary>
    /// Makes a change to the source that the author saw, and merges it with what was done elsewhere meanwhile.
    /// </summary>
    /// <param name="claimed">The stretch of that source that nobody else may have changed meanwhile, start and
    /// end.</param>
    public Task<DraftStep> EditAsync(
        Page page,
        DraftAuthor author,
        TextChange change,
        (int Start, int End) claimed,
        string label
    ) =>
        journal.WriteAsync(c =>
        {
            var draft = Read(c, page);
            if (WasDone(c, page.Id, author.Token))
                return new(draft, label);
            if (author.At != draft.Revision)
            {
                if (Since(c, page.Id, author.At) is not { } meanwhile)
                    return new(draft, "", DraftRefusal.TooOld);
                foreach (var other in meanwhile)
                {
                    if (!other.IsApart(claimed.Start, claimed.End))
                        return new(draft, "", DraftRefusal.SamePart);
                    var shift =
                        other.Start + other.Removed.Length <= claimed.Start
                            ? other.Inserted.Length - other.Removed.Length
                            : 0;
                    change = change with { Start = change.Start + shift };
                    claimed = (claimed.Start + shift, claimed.End + shift);
                }
            }
            if (change.Apply(draft.Source) is not { } after)
                return new(draft, "", DraftRefusal.SamePart);
            Append(c, page.Id, draft, change, after, label, author);
            var isMerged = author.At != draft.Revision;
            return new DraftStep(Read(c, page), label, Change: isMerged ? null : change, IsMerged: isMerged);
        });

    /// <summary>Puts a whole new source in the place of the draft that was read.</summary>
    public Task<DraftStep> EditAsync(Page page, PageDraft draft, string after, string label)
    {
        var change = TextChange.Between(draft.Source, after);
        return EditAsync(
            page,
            new(draft.Revision, Guid.NewGuid()),
            change,
            (change.Start, change.Start + change.Removed.Length),
            label
        );
    }

    /// <summary>Takes the last edit back.</summary>
    public Task<DraftStep> UndoAsync(Page page, DraftAuthor author) => StepAsync(page, author, back: true);

    /// <summary>Makes the edit again that was taken back last.</summary>
    public Task<DraftStep> RedoAsync(Page page, DraftAuthor author) => StepAsync(page, author, back: false);

    /// <summary>Adds a file that the draft can use.</summary>
    public Task AddFileAsync(PageId page, PageFile file) =>
        journal.WriteAsync(c => PageStore.Put(c, page, PageStore.Draft, file));

    /// <summary>
    /// Gives the draft the files of an earlier version that the published one does not have, or has otherwise.
    /// </summary>
    public Task TakeFilesAsync(Page page, int version) =>
        journal.WriteAsync(c =>
        {
            c.Execute(
                """
                INSERT OR REPLACE INTO version_files (page_id, version, path, hash)
                SELECT page_id, 0, path, hash FROM version_files o WHERE page_id = $1 AND version = $2 AND path <> $4
                  AND NOT EXISTS (SELECT 1 FROM version_files n
                    WHERE n.page_id = o.page_id AND n.version = $3 AND n.path = o.path AND n.hash = o.hash)
                """,
                page.Id.Value,
                version,
                page.Revision,
                page.Entry
            );
        });

    /// <summary>
    /// Makes a source the draft of a page, as one edit that can be undone and that open windows learn of.
    /// </summary>
    internal static void Replace(SqliteConnection c, Page page, string source, string label)
    {
        var draft = Read(c, page);
        if (draft.Source != source)
            Append(
                c,
                page.Id,
                draft,
                TextChange.Between(draft.Source, source),
                source,
                label,
                new(draft.Revision, Guid.NewGuid())
            );
    }

    /// <summary>
    /// Puts a source and the edit that led to it behind a draft; what was undone beyond it can not be done again.
    /// </summary>
    private static void Append(
        SqliteConnection c,
        PageId page,
        PageDraft draft,
        TextChange change,
        string after,
        string label,
        DraftAuthor author
    )
    {
        Note(c, page, change, author);
        var position = draft.Position;
        if (position > 0 && author.Sitting is { } sitting && LastOf(c, page, position - 1, sitting) is { } earlier)
        {
            // One sitting at a text is one edit, however often it was sent on the way.
            change = TextChange.Between(earlier.Reversed.Apply(draft.Source)!, after);
            position--;
        }
        c.Execute("DELETE FROM draft_edits WHERE page_id = $1 AND position >= $2", page.Value, position);
        c.Execute(
            """
            INSERT INTO draft_edits (page_id, position, label, start, removed, inserted, sitting)
            VALUES ($1, $2, $3, $4, $5, $6, $7)
            """,
            page.Value,
            position,
            label,
            change.Start,
            change.Removed,
            change.Inserted,
            author.Sitting?.ToByteArray()
        );
        Put(c, page, after, position + 1);
    }

    private static TextChange? LastOf(SqliteConnection c, PageId page, int position, Guid sitting) =>
        c.Rows(
                """
                SELECT start, removed, inserted
                FROM draft_edits
                WHERE page_id = $1 AND position = $2 AND sitting = $3
                """,
                Change,
                page.Value,
                position,
                sitting.ToByteArray()
            )
            .SingleOrDefault();

    private Task<DraftStep> StepAsync(Page page, DraftAuthor author, bool back) =>
        journal.WriteAsync(c =>
        {
            var draft = Read(c, page);
            var edit = back ? draft.Position - 1 : draft.Position;
            if (WasDone(c, page.Id, author.Token))
                return new(draft, "");
            if (author.At != draft.Revision)
                return new(draft, "", DraftRefusal.Moved);
            var (label, change) = c.Rows(
                    "SELECT start, removed, inserted, label FROM draft_edits WHERE page_id = $1 AND position = $2",
                    row => (row.GetString(3), Change(row)),
                    page.Id.Value,
                    edit
                )
                .SingleOrDefault();
            if (change is null)
                return new(draft, "", DraftRefusal.Nothing);
            if (back)
                change = change.Reversed;
            var source = change.Apply(draft.Source)
                ?? throw new StoreException(
                    "The edits of this page no longer fit its source. Publish it or restore a version."
                );
            Note(c, page.Id, change, author);
            Put(c, page.Id, source, back ? edit : edit + 1);
            return new DraftStep(Read(c, page), label, Change: change);
        });

    private static PageDraft Read(SqliteConnection c, Page page)
    {
        var source = c.Text("SELECT source FROM drafts WHERE page_id = $1", page.Id.Value)
            ?? PageText.Decode(
                c.Rows(
                        """
                        SELECT a.content
                        FROM version_files f JOIN assets a ON a.hash = f.hash
                        WHERE f.page_id = $1 AND f.version = $2 AND f.path = $3
                        """,
                        row => row.GetFieldValue<byte[]>(0),
                        page.Id.Value,
                        page.Revision,
                        page.Entry
                    )
                    .Single()
            );
        return new(source, Position(c, page.Id), Last(c, page.Id), Revision(c, page.Id));
    }

    /// <summary>
    /// What was done to the draft since a revision, in order; null when that is not remembered any more.
    /// </summary>
    private static TextChange[]? Since(SqliteConnection c, PageId page, long revision)
    {
        var newest = Revision(c, page);
        if (revision < 0 || revision > newest)
            return null;
        TextChange[] changes =
        [
            .. c.Rows(
                """
                SELECT start, removed, inserted
                FROM draft_changes
                WHERE page_id = $1 AND revision > $2
                ORDER BY revision
                """,
                Change,
                page.Value,
                revision
            ),
        ];
        return changes.Length == newest - revision ? changes : null;
    }

    private static bool WasDone(SqliteConnection c, PageId page, Guid token) =>
        c.Number("SELECT 1 FROM draft_changes WHERE page_id = $1 AND token = $2", page.Value, token.ToByteArray())
            is not null;

    private static void Note(SqliteConnection c, PageId page, TextChange change, DraftAuthor author)
    {
        var revision = Revision(c, page) + 1;
        c.Execute(
            "INSERT INTO draft_changes VALUES ($1, $2, $3, $4, $5, $6)",
            page.Value,
            revision,
            author.Token.ToByteArray(),
            change.Start,
            change.Removed,
            change.Inserted
        );
        c.Execute("DELETE FROM draft_changes WHERE page_id = $1 AND revision <= $2", page.Value, revision - Remembered);
    }

    private static long Revision(SqliteConnection c, PageId page) =>
        c.Number("SELECT max(revision) FROM draft_changes WHERE page_id = $1", page.Value) ?? 0;

    private static int Position(SqliteConnection c, PageId page) =>
        (int)(c.Number("SELECT position FROM drafts WHERE page_id = $1", page.Value) ?? 0);

    private static int Last(SqliteConnection c, PageId page) =>
        (int)(c.Number("SELECT max(position) + 1 FROM draft_edits WHERE page_id = $1", page.Value) ?? 0);

    private static TextChange Change(SqliteDataReader row) => new(row.GetInt32(0), row.GetString(1), row.GetString(2));

    private static void Put(SqliteConnection c, PageId page, string source, int position) =>
        c.Execute(
            """
            INSERT INTO drafts (page_id, source, hash, position) VALUES ($1, $2, $3, $4)
            ON CONFLICT DO UPDATE
            SET source = excluded.source, hash = excluded.hash, position = excluded.position
            """,
            page.Value,
            source,
            SHA256.HashData(Encoding.UTF8.GetBytes(source)),
            position
        );
}
