using System.Security.Cryptography;
using System.Text;
using Microsoft.Data.Sqlite;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>A page's source as it is being worked on.</summary>
/// <param name="Position">How many edits led here; an edit is made against a position, so that two windows cannot overwrite each other.</param>
/// <param name="Last">How many edits there are, those undone included.</param>
public sealed record PageDraft(string Source, int Position, int Last)
{
    public bool CanUndo => Position > 0;

    public bool CanRedo => Position < Last;
}

/// <summary>The edit that was made, undone or done again, and what it did to the source.</summary>
public sealed record DraftStep(int Position, int Last, string Label, TextChange Change);

/// <summary>Drafts of pages, each edit kept so that it can be undone; visitors never see them.</summary>
public sealed class DraftStore(Database database, Journal journal)
{
    /// <summary>The page's draft; where there is none, what is published.</summary>
    public PageDraft Of(Page page) => database.Read(c => Read(c, page));

    /// <summary>The hash of the page's source as it stands, without reading it.</summary>
    public string Hash(Page page) => database.Read(c => c.Rows(
        "SELECT coalesce((SELECT hash FROM drafts WHERE page_id = $1), (SELECT hash FROM version_files WHERE page_id = $1 AND version = $2 AND path = $3))",
        row => Convert.ToHexStringLower(row.GetFieldValue<byte[]>(0)), page.Id.Value, page.Revision, page.Entry).Single());

    /// <summary>Puts a new source in the place of the one at a position; null when the draft has moved on meanwhile.</summary>
    public Task<DraftStep?> EditAsync(Page page, int position, string before, string after, string label) => journal.WriteAsync(c =>
    {
        var draft = Position(c, page.Id);
        if (draft != position) return null;
        return new DraftStep(position + 1, position + 1, label, Append(c, page.Id, position, before, after, label));
    });

    /// <summary>Takes the last edit back; null when there is none, or the draft has moved on.</summary>
    public Task<DraftStep?> UndoAsync(Page page, int position) => StepAsync(page, position, position - 1, change => change.Reversed, position - 1);

    /// <summary>Makes the edit again that was taken back last.</summary>
    public Task<DraftStep?> RedoAsync(Page page, int position) => StepAsync(page, position, position, change => change, position + 1);

    /// <summary>Adds a file that the draft can use.</summary>
    public Task AddFileAsync(PageId page, PageFile file) => journal.WriteAsync(c => PageStore.Put(c, page, PageStore.Draft, file));

    /// <summary>Gives the draft the files of an earlier version that the published one does not have, or has otherwise.</summary>
    public Task TakeFilesAsync(Page page, int version) => journal.WriteAsync(c =>
    {
        c.Execute(
            """
            INSERT OR REPLACE INTO version_files (page_id, version, path, hash)
            SELECT page_id, 0, path, hash FROM version_files o WHERE page_id = $1 AND version = $2 AND path <> $4
              AND NOT EXISTS (SELECT 1 FROM version_files n WHERE n.page_id = o.page_id AND n.version = $3 AND n.path = o.path AND n.hash = o.hash)
            """,
            page.Id.Value, version, page.Revision, page.Entry);
    });

    internal static void Replace(SqliteConnection c, PageId page, string source)
    {
        var before = c.Text("SELECT source FROM drafts WHERE page_id = $1", page.Value);
        if (before is null) return;
        Append(c, page, Position(c, page), before, source, "Carried over");
    }

    /// <summary>Puts a source and the edit that led to it at a position; what was undone beyond it can not be done again.</summary>
    private static TextChange Append(SqliteConnection c, PageId page, int position, string before, string after, string label)
    {
        var change = TextChange.Between(before, after);
        c.Execute("DELETE FROM draft_edits WHERE page_id = $1 AND position >= $2", page.Value, position);
        c.Execute("INSERT INTO draft_edits VALUES ($1, $2, $3, $4, $5, $6)", page.Value, position, label, change.Start, change.Removed, change.Inserted);
        Put(c, page, after, position + 1);
        return change;
    }

    private Task<DraftStep?> StepAsync(Page page, int position, int edit, Func<TextChange, TextChange> direction, int to) => journal.WriteAsync(c =>
    {
        if (Position(c, page.Id) != position) return null;
        var (label, change) = c.Rows(
            "SELECT label, start, removed, inserted FROM draft_edits WHERE page_id = $1 AND position = $2",
            row => (row.GetString(0), new TextChange(row.GetInt32(1), row.GetString(2), row.GetString(3))), page.Id.Value, edit).SingleOrDefault();
        if (change is null) return null;
        change = direction(change);
        var source = change.Apply(Read(c, page).Source) ?? throw new StoreException("The edits of this page do not fit its source any more. Publish it or go back to a version.");
        Put(c, page.Id, source, to);
        return new DraftStep(to, Last(c, page.Id), label, change);
    });

    private static PageDraft Read(SqliteConnection c, Page page)
    {
        var source = c.Text("SELECT source FROM drafts WHERE page_id = $1", page.Id.Value)
            ?? PageText.Decode(c.Rows("SELECT a.content FROM version_files f JOIN assets a ON a.hash = f.hash WHERE f.page_id = $1 AND f.version = $2 AND f.path = $3",
                row => row.GetFieldValue<byte[]>(0), page.Id.Value, page.Revision, page.Entry).Single());
        return new(source, Position(c, page.Id), Last(c, page.Id));
    }

    private static int Position(SqliteConnection c, PageId page) => (int)(c.Number("SELECT position FROM drafts WHERE page_id = $1", page.Value) ?? 0);

    private static int Last(SqliteConnection c, PageId page) => (int)(c.Number("SELECT max(position) + 1 FROM draft_edits WHERE page_id = $1", page.Value) ?? 0);

    private static void Put(SqliteConnection c, PageId page, string source, int position) => c.Execute(
        "INSERT INTO drafts (page_id, source, hash, position) VALUES ($1, $2, $3, $4) ON CONFLICT DO UPDATE SET source = excluded.source, hash = excluded.hash, position = excluded.position",
        page.Value, source, SHA256.HashData(Encoding.UTF8.GetBytes(source)), position);
}
