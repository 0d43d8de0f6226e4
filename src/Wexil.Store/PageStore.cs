using System.Security.Cryptography;
using Microsoft.Data.Sqlite;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>Pages and their files. A file's content is stored once, by its hash, however many pages have it.</summary>
public sealed class PageStore(Database database, Journal journal, TimeProvider time)
{
    private const string Columns = "id, step_id, slug, name, outside, entry, parent_id, revision, changed_at";

    public IReadOnlyList<Page> Of(StepId step) => database.Read(c => c.Rows($"SELECT {Columns} FROM pages WHERE step_id = $1 ORDER BY id", Map, step.Value));

    public Page? Find(PageId page) => database.Read(c => c.Rows($"SELECT {Columns} FROM pages WHERE id = $1", Map, page.Value).SingleOrDefault());

    /// <summary>A file of a hosted page; null when the page has none of that name.</summary>
    public PageFile? File(PageId page, string path) => database.Read(c => c.Rows(
        "SELECT f.path, a.content FROM page_files f JOIN assets a ON a.hash = f.hash WHERE f.page_id = $1 AND f.path = $2",
        row => new PageFile(row.GetString(0), row.GetFieldValue<byte[]>(1)), page.Value, path).SingleOrDefault());

    public IReadOnlyList<string> Paths(PageId page) =>
        database.Read(c => c.Rows("SELECT path FROM page_files WHERE page_id = $1 ORDER BY path", row => row.GetString(0), page.Value));

    /// <summary>The source of a hosted page.</summary>
    public string Source(Page page) => PageText.Decode(File(page.Id, page.Entry!)!.Content);

    /// <summary>Adds a hosted page; the first page of a step becomes the one that it shows.</summary>
    public Task<PageId> AddAsync(StepId step, string name, PageBundle bundle) => journal.WriteAsync(c =>
    {
        var page = Insert(c, step, name, null, bundle.Entry, null);
        foreach (var file in bundle.Files) Put(c, page, file);
        return page;
    });

    /// <summary>Adds an outside page.</summary>
    public Task<PageId> AddAsync(StepId step, string name, Uri outside) => journal.WriteAsync(c => Insert(c, step, name, outside.AbsoluteUri, null, null));

    /// <summary>Makes a page of the same step with the same content, which knows where it came from.</summary>
    public Task<PageId> CloneAsync(Page page, string name) => journal.WriteAsync(c =>
    {
        var clone = Insert(c, page.Step, name, page.Outside?.AbsoluteUri, page.Entry, page.Id);
        c.Execute("INSERT INTO page_files (page_id, path, hash) SELECT $1, path, hash FROM page_files WHERE page_id = $2", clone.Value, page.Id.Value);
        return clone;
    });

    public Task RenameAsync(PageId page, string name) => journal.WriteAsync(c => { c.Execute("UPDATE pages SET name = $2 WHERE id = $1", page.Value, name); });

    /// <summary>Stores a hosted page's source. In a running test the change starts a phase: what came before was about another page.</summary>
    public Task SaveSourceAsync(Page page, string source) => journal.WriteAsync(c =>
    {
        Put(c, page.Id, new(page.Entry!, System.Text.Encoding.UTF8.GetBytes(source)));
        var now = time.GetUtcNow().ToUnixTimeMilliseconds();
        c.Execute("UPDATE pages SET revision = revision + 1, changed_at = $2 WHERE id = $1", page.Id.Value, now);
        var test = c.Number("SELECT t.id FROM tests t JOIN test_pages p ON p.test_id = t.id WHERE p.page_id = $1 AND t.decided_at IS NULL", page.Id.Value);
        if (test is { } running) TestStore.StartPhase(c, new(running), null, $"“{page.Name}” was changed", now);
    });

    private PageId Insert(SqliteConnection c, StepId step, string name, string? outside, string? entry, PageId? parent)
    {
        // Studio's own address for adding a page stands where a page's name would.
        var slug = Slug.Free(Slug.From(name), s => s == "add" || c.Number("SELECT 1 FROM pages WHERE slug = $1", s) is not null);
        var id = c.Insert(
            "INSERT INTO pages (step_id, slug, name, outside, entry, parent_id, created_at, changed_at) VALUES ($1, $2, $3, $4, $5, $6, $7, $7)",
            step.Value, slug, name, outside, entry, parent?.Value, time.GetUtcNow().ToUnixTimeMilliseconds());
        c.Execute("UPDATE steps SET page_id = $2 WHERE id = $1 AND page_id IS NULL", step.Value, id);
        return new(id);
    }

    private static void Put(SqliteConnection c, PageId page, PageFile file)
    {
        var hash = SHA256.HashData(file.Content);
        c.Execute("INSERT OR IGNORE INTO assets (hash, content) VALUES ($1, $2)", hash, file.Content);
        c.Execute("INSERT INTO page_files (page_id, path, hash) VALUES ($1, $2, $3) ON CONFLICT DO UPDATE SET hash = excluded.hash", page.Value, file.Path, hash);
    }

    private static Page Map(SqliteDataReader row) => new(
        new(row.GetInt64(0)), new(row.GetInt64(1)), row.GetString(2), row.GetString(3), row.TextOrNull(4) is { } outside ? new Uri(outside) : null,
        row.TextOrNull(5), row.NumberOrNull(6) is { } parent ? new PageId(parent) : null, row.GetInt32(7), row.Time(8));
}
