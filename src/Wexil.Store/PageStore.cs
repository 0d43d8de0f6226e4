using System.Data;
using System.Security.Cryptography;
using System.Text;
using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>
/// Pages, their versions and the files of each. A file's content is stored once, by its hash, however many pages have
/// it.
/// </summary>
public sealed class PageStore(Database database, Journal journal, TimeProvider time)
{
    /// <summary>The number under which files are kept that no version has yet.</summary>
    internal const int Draft = 0;

    private const string SectionFile = "section.html";

    internal const string Columns = """
        id, step_id, slug, name, outside, entry, parent_id, parent_version, revision, changed_at, indexed,
        EXISTS (SELECT 1 FROM drafts d JOIN version_files f ON f.page_id = d.page_id AND f.version = pages.revision
          AND f.path = pages.entry WHERE d.page_id = pages.id AND d.hash <> f.hash) is_changed
        """;

    /// <summary>The pages of a step that are not put away.</summary>
    public IReadOnlyList<Page> ForStep(StepId step) =>
        database.Read(c =>
            c.Rows(
                $"SELECT {Columns} FROM pages WHERE step_id = $1 AND archived_at IS NULL ORDER BY id",
                Map,
                step.Value
            )
        );

    /// <summary>All pages, those put away too.</summary>
    public IReadOnlyList<Page> All() => database.Read(c => c.Rows($"SELECT {Columns} FROM pages ORDER BY id", Map));

    /// <summary>Null where there is none.</summary>
    public Page? Find(PageId page) => database.Read(c => Find(c, page));

    /// <summary>Pages by their ids, those put away too.</summary>
    public IReadOnlyDictionary<PageId, Page> FindAll(IEnumerable<PageId> pages) =>
        database.Read(c => FindAll(c, pages));

    internal static IReadOnlyDictionary<PageId, Page> FindAll(SqliteConnection c, IEnumerable<PageId> pages) =>
        c.Rows(
                $"SELECT {Columns} FROM pages WHERE id IN (SELECT value FROM json_each($1))",
                Map,
                EvidenceStore.Json(pages.Select(page => page.Value))
            )
            .ToDictionary(page => page.Id);

    /// <summary>The pages that were cloned from a page, the oldest first.</summary>
    public IReadOnlyList<Page> ClonesOf(PageId page) =>
        database.Read(c => c.Rows($"SELECT {Columns} FROM pages WHERE parent_id = $1 ORDER BY id", Map, page.Value));

    /// <summary>Every version of a page that was published, the newest first.</summary>
    public IReadOnlyList<PageVersion> Versions(PageId page) =>
        database.Read(c =>
            c.Rows(
                "SELECT version, published_at, note FROM page_versions WHERE page_id = $1 ORDER BY version DESC",
                row => new PageVersion(row.GetInt32(0), row.Time(1), row.GetString(2)),
                page.Value
            )
        );

    /// <summary>A file of a page's published version; null when it has none of that name.</summary>
    public PageFile? File(PageId page, int version, string path) =>
        database.Read(c =>
            c.Rows(
                    """
                    SELECT f.path, a.content
                    FROM version_files f JOIN assets a ON a.hash = f.hash
                    WHERE f.page_id = $1 AND f.version = $2 AND f.path = $3
                    """,
                    row => new PageFile(row.GetString(0), row.GetFieldValue<byte[]>(1)),
                    page.Value,
                    version,
                    path
                )
                .SingleOrDefault()
        );

    /// <summary>
    /// The hash of every file of a version by its path; with the draft's own files on top when asked for.
    /// </summary>
    public IReadOnlyDictionary<string, string> Hashes(PageId page, int version, bool withDraft = false) =>
        database.Read(c =>
        {
            var hashes = new Dictionary<string, string>(StringComparer.Ordinal);
            foreach (
                var (path, hash) in c.Rows(
                    """
                    SELECT path, hash
                    FROM version_files
                    WHERE page_id = $1 AND version IN ($2, $3)
                    ORDER BY version = 0
                    """,
                    row => (row.GetString(0), Convert.ToHexStringLower(row.GetFieldValue<byte[]>(1))),
                    page.Value,
                    version,
                    withDraft ? Draft : version
                )
            )
                hashes[path] = hash;
            return hashes;
        });

    /// <summary>The source of a version of a hosted page.</summary>
    public string Source(Page page, int version) => PageText.Decode(File(page.Id, version, page.Entry!)!.Content);

    /// <summary>The source that visitors see.</summary>
    public string Source(Page page) => Source(page, page.Revision);

    /// <summary>Adds a hosted page.</summary>
    /// <param name="isLive">A step that shows no page shows this one at once; otherwise once somebody says so.</param>
    public Task<PageId> AddAsync(
        StepId step,
        string name,
        PageBundle bundle,
        string note = "Imported",
        bool isLive = true
    ) => journal.WriteAsync(c => Add(c, step, name, bundle, note, time.GetUtcNow(), isLive));

    /// <summary>Adds several pages at once, each on its step; none is live.</summary>
    public Task<IReadOnlyList<PageId>> AddAsync(IReadOnlyList<(StepId Step, string Name, PageBundle Bundle)> pages) =>
        journal.WriteAsync<IReadOnlyList<PageId>>(c =>
            [
                .. pages.Select(page =>
                    Add(c, page.Step, page.Name, page.Bundle, "Imported", time.GetUtcNow(), isLive: false)
                ),
            ]
        );

    /// <summary>Adds a version of a section.</summary>
    /// <param name="source">The markup that stands in the section's place; empty for nothing.</param>
    public Task<PageId> AddVersionAsync(StepId section, string name, string source) =>
        journal.WriteAsync(c => AddVersion(c, section, name, source, "Added", time.GetUtcNow()));

    internal static PageId AddVersion(
        SqliteConnection c,
        StepId section,
        string name,
        string source,
        string note,
        DateTimeOffset now
    ) =>
        Add(
            c,
            section,
            name,
            new([new(SectionFile, Encoding.UTF8.GetBytes(source))], SectionFile),
            note,
            now,
            isLive: true
        );

    /// <summary>Adds an outside page.</summary>
    /// <param name="isLive">A step that shows no page shows this one at once; otherwise once somebody says so.</param>
    public Task<PageId> AddAsync(StepId step, string name, Uri outside, bool isLive = true) =>
        journal.WriteAsync(c => AddOutside(c, step, name, outside, time.GetUtcNow(), isLive));

    /// <summary>Makes a page with the content that visitors see of another, which knows where it came from.</summary>
    /// <param name="step">The step it is for; without one, that of the original.</param>
    public Task<PageId> CloneAsync(Page page, string name, StepId? step = null) =>
        journal.WriteAsync(c => Clone(c, page, name, step ?? page.Step, time.GetUtcNow()));

    /// <summary>Names a page; its address stays.</summary>
    public Task RenameAsync(PageId page, string name) => journal.WriteAsync(c => Rename(c, page, name));

    /// <summary>
    /// What a page hosted elsewhere is called and where it is now. In a running test another address starts a phase:
    /// what came before was another page.
    /// </summary>
    public Task ChangeOutsideAsync(PageId page, string name, Uri address) =>
        journal.WriteAsync(c =>
        {
            Rename(c, page, name);
            var now = time.GetUtcNow().ToUnixTimeMilliseconds();
            if (
                c.Execute(
                    """
                    UPDATE pages SET outside = $2, leads_to = NULL, changed_at = $3
                    WHERE id = $1 AND outside IS NOT NULL AND outside <> $2
                    """,
                    page.Value,
                    address.AbsoluteUri,
                    now
                ) == 0
            )
                return;
            c.Execute("DELETE FROM page_checks WHERE page_id = $1", page.Value);
            StartPhase(c, page, $"“{Find(c, page)!.Name}” has a new address", now);
        });

    /// <summary>
    /// Makes a page the one that its step shows to everyone; nothing changes while a test runs there.
    /// </summary>
    /// <returns>False where a test runs on the step.</returns>
    public Task<bool> ShowAsync(Page page) =>
        journal.WriteAsync(c =>
            c.Execute(
                """
                UPDATE steps SET page_id = $2
                WHERE id = $1 AND NOT EXISTS (SELECT 1
                FROM tests
                WHERE step_id = $1 AND decided_at IS NULL)
                """,
                page.Step.Value,
                page.Id.Value
            ) > 0
        );

    /// <summary>Lets search engines list a page, or not.</summary>
    public Task SetIndexedAsync(PageId page, bool indexed) =>
        journal.WriteAsync(c =>
        {
            c.Execute("UPDATE pages SET indexed = $2 WHERE id = $1", page.Value, indexed);
        });

    /// <summary>
    /// Makes a source the version that visitors see. In a running test that starts a phase: what came before was about
    /// another page.
    /// </summary>
    /// <param name="looksTheSame">Visitors see what they saw before, so no phase begins.</param>
    /// <returns>The version's number.</returns>
    public Task<int> PublishAsync(Page page, string source, string note, bool looksTheSame = false) =>
        journal.WriteAsync(c => Publish(c, page.Id, source, note, looksTheSame, time.GetUtcNow()));

    /// <summary>Publishes sources by which visitors see what they saw before.</summary>
    /// <returns>The pages that were changed since they were read, and stay as they are.</returns>
    public Task<IReadOnlyList<Page>> RepublishAsync(IReadOnlyList<Republished> pages) =>
        journal.WriteAsync(c => Republished.Write(c, pages, time.GetUtcNow()));

    /// <summary>
    /// Puts what was carried over from the parent into the drafts of several clones at once, each with the version of
    /// the parent that it has now seen.
    /// </summary>
    public Task CarryAsync(IReadOnlyList<(Page Clone, string Draft)> clones, int parentVersion) =>
        journal.WriteAsync(c =>
        {
            foreach (var (clone, draft) in clones)
            {
                DraftStore.Replace(c, clone, draft, "Carried over");
                c.Execute("UPDATE pages SET parent_version = $2 WHERE id = $1", clone.Id.Value, parentVersion);
            }
        });

    private static void Rename(SqliteConnection c, PageId id, string name)
    {
        var page = Find(c, id)!;
        if (page.Name != name)
            c.Execute("UPDATE pages SET name = $2 WHERE id = $1", id.Value, FreeName(c, page.Step, name));
    }

    internal static Page? Find(SqliteConnection c, PageId page) =>
        c.Rows($"SELECT {Columns} FROM pages WHERE id = $1", Map, page.Value).SingleOrDefault();

    internal static PageId Clone(SqliteConnection c, Page page, string name, StepId step, DateTimeOffset now)
    {
        var clone = Insert(c, step, name, page.Outside?.AbsoluteUri, page.Entry, page, now);
        if (!page.IsHosted)
            return clone;
        c.Execute(
            """
            INSERT INTO version_files (page_id, version, path, hash) SELECT $1, 1, path, hash
            FROM version_files
            WHERE page_id = $2 AND version = $3
            """,
            clone.Value,
            page.Id.Value,
            page.Revision
        );
        c.Execute(
            "INSERT INTO page_versions VALUES ($1, 1, $2, $3)",
            clone.Value,
            now.ToUnixTimeMilliseconds(),
            $"Cloned from “{page.Name}”"
        );
        CopyDraft(c, page.Id, clone);
        return clone;
    }

    /// <summary>Whoever clones a page means it as it stands in the editor.</summary>
    private static void CopyDraft(SqliteConnection c, PageId page, PageId clone)
    {
        c.Execute(
            """
            INSERT INTO version_files (page_id, version, path, hash) SELECT $1, version, path, hash
            FROM version_files
            WHERE page_id = $2 AND version = $3 AND EXISTS (SELECT 1 FROM drafts WHERE page_id = $2)
            """,
            clone.Value,
            page.Value,
            Draft
        );
        c.Execute(
            """
            INSERT INTO drafts (page_id, source, hash, position) SELECT $1, source, hash, 0
            FROM drafts
            WHERE page_id = $2
            """,
            clone.Value,
            page.Value
        );
    }

    internal static PageId Add(
        SqliteConnection c,
        StepId step,
        string name,
        PageBundle bundle,
        string note,
        DateTimeOffset now,
        bool isLive
    )
    {
        var page = Insert(c, step, name, null, bundle.Entry, null, now);
        if (isLive)
            Show(c, page);
        foreach (var file in bundle.Files)
            Put(c, page, 1, file);
        c.Execute("INSERT INTO page_versions VALUES ($1, 1, $2, $3)", page.Value, now.ToUnixTimeMilliseconds(), note);
        return page;
    }

    /// <summary>Changes the first version of each page of a step that is being made.</summary>
    internal static void Relink(SqliteConnection c, StepId step, Func<string, string> change)
    {
        foreach (
            var (page, entry, content) in c.Rows(
                """
                SELECT p.id, p.entry, a.content
                FROM pages p
                JOIN version_files f ON f.page_id = p.id AND f.version = p.revision AND f.path = p.entry
                JOIN assets a ON a.hash = f.hash
                WHERE p.step_id = $1
                """,
                row => (new PageId(row.GetInt64(0)), row.GetString(1), row.GetFieldValue<byte[]>(2)),
                step.Value
            )
        )
        {
            var source = PageText.Decode(content);
            if (change(source) is var changed && changed != source)
                Put(c, page, 1, new(entry, Encoding.UTF8.GetBytes(changed)));
        }
    }

    internal static PageId AddOutside(
        SqliteConnection c,
        StepId step,
        string name,
        Uri outside,
        DateTimeOffset now,
        bool isLive
    )
    {
        var page = Insert(c, step, name, outside.AbsoluteUri, null, null, now);
        if (isLive)
            Show(c, page);
        return page;
    }

    /// <summary>A step that shows no page shows this one.</summary>
    internal static void Show(SqliteConnection c, PageId page) =>
        c.Execute(
            """
            UPDATE steps SET page_id = $1
            WHERE id = (SELECT step_id FROM pages WHERE id = $1) AND page_id IS NULL
            """,
            page.Value
        );

    internal static void Put(SqliteConnection c, PageId page, int version, PageFile file)
    {
        var hash = SHA256.HashData(file.Content);
        c.Execute("INSERT OR IGNORE INTO assets (hash, content) VALUES ($1, $2)", hash, file.Content);
        c.Execute(
            """
            INSERT INTO version_files (page_id, version, path, hash) VALUES ($1, $2, $3, $4)
            ON CONFLICT DO UPDATE SET hash = excluded.hash
            """,
            page.Value,
            version,
            file.Path,
            hash
        );
    }

    private static PageId Insert(
        SqliteConnection c,
        StepId step,
        string name,
        string? outside,
        string? entry,
        Page? parent,
        DateTimeOffset now
    )
    {
        // Studio's own addresses beside a page's stand where a page's name would.
        var slug = Slug.Free(Slug.From(name), s =>
            s is "add" or "files" or "import" or "path"
            || c.Number("SELECT 1 FROM pages WHERE slug = $1", s) is not null
        );
        name = FreeName(c, step, name);
        var id = c.Insert(
            """
            INSERT INTO pages (step_id, slug, name, outside, entry, parent_id, parent_version, created_at,
              changed_at) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $8)
            """,
            step.Value,
            slug,
            name,
            outside,
            entry,
            parent?.Id.Value,
            parent?.Revision,
            now.ToUnixTimeMilliseconds()
        );
        return new(id);
    }

    /// <summary>The name, with a number where the step has a page of that name: two could not be told apart.</summary>
    internal static string FreeName(SqliteConnection c, StepId step, string name)
    {
        var free = name;
        for (
            var number = 2;
            c.Number("SELECT 1 FROM pages WHERE step_id = $1 AND name = $2", step.Value, free) is not null;
            number++
        )
            free = $"{name} {number}";
        return free;
    }

    internal static int Publish(
        SqliteConnection c,
        PageId id,
        string source,
        string note,
        bool looksTheSame,
        DateTimeOffset moment
    )
    {
        var (page, now) = (Find(c, id)!, moment.ToUnixTimeMilliseconds());
        var version = page.Revision + 1;
        c.Execute(
            """
            INSERT INTO version_files (page_id, version, path, hash) SELECT page_id, $3, path, hash
            FROM version_files
            WHERE page_id = $1 AND version = $2
            """,
            id.Value,
            page.Revision,
            version
        );
        BringAddedFiles(c, page, version, source);
        Put(c, id, version, new(page.Entry!, Encoding.UTF8.GetBytes(source)));
        c.Execute("INSERT INTO page_versions VALUES ($1, $2, $3, $4)", id.Value, version, now, note);
        c.Execute("UPDATE pages SET revision = $2, changed_at = $3 WHERE id = $1", id.Value, version, now);
        if (!looksTheSame)
            StartPhase(c, id, $"“{page.Name}” was changed", now);
        return version;
    }

    // Files added since the last version come along where the page uses them; the others stay at hand.
    private static void BringAddedFiles(SqliteConnection c, Page page, int version, string source)
    {
        var id = page.Id;
        var folder = page.Entry![..(page.Entry!.LastIndexOf('/') + 1)];
        foreach (
            var path in c.Rows(
                "SELECT path FROM version_files WHERE page_id = $1 AND version = 0",
                row => row.GetString(0),
                id.Value
            )
        )
        {
            // A page names what lies beside it without the folder that both are in.
            var named = path.StartsWith(folder, StringComparison.Ordinal) ? path[folder.Length..] : path;
            if (!source.Contains(named, StringComparison.Ordinal))
                continue;
            c.Execute(
                "DELETE FROM version_files WHERE page_id = $1 AND version = $2 AND path = $3",
                id.Value,
                version,
                path
            );
            c.Execute(
                "UPDATE version_files SET version = $2 WHERE page_id = $1 AND version = 0 AND path = $3",
                id.Value,
                version,
                path
            );
        }
    }

    private static void StartPhase(SqliteConnection c, PageId page, string why, long now)
    {
        var test = c.Number(
            """
            SELECT t.id
            FROM tests t JOIN test_pages p ON p.test_id = t.id
            WHERE p.page_id = $1 AND t.decided_at IS NULL
            """,
            page.Value
        );
        if (test is { } running)
            TestPhases.Settle(c, new(running), why, now, log: "owner");
        // Its sections stand on another page from now on.
        var host = new StepId(c.Number("SELECT step_id FROM pages WHERE id = $1", page.Value)!.Value);
        TestPhases.SettleSections(c, host, except: null, why, now);
    }

    internal static Page Map(SqliteDataReader row) =>
        new(
            new(row.GetInt64("id")),
            new(row.GetInt64("step_id")),
            row.GetString("slug"),
            row.GetString("name"),
            row.TextOrNull("outside") is { } outside ? new Uri(outside) : null,
            row.TextOrNull("entry"),
            row.NumberOrNull("parent_id") is { } parent ? new PageId(parent) : null,
            (int?)row.NumberOrNull("parent_version"),
            row.GetInt32("revision"),
            row.Time("changed_at"),
            row.GetBoolean("indexed"),
            row.GetBoolean("is_changed")
        );
}
