using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>What stands in the way of putting a page away.</summary>
public enum ShelfProblem
{
    /// <summary>Everyone who opens the step's link sees it.</summary>
    IsShown,

    /// <summary>It is the control of the running test.</summary>
    IsControl,

    /// <summary>Without it the running test has nothing left to compare.</summary>
    LeavesOne,

    /// <summary>Who does not take part in the running test sees it.</summary>
    IsForOthers,

    /// <summary>Visitors of a source are sent to it.</summary>
    IsTied,

    /// <summary>A visitor was shown it once, or it was in a test; so it is kept.</summary>
    WasShown,
}

/// <summary>
/// Puts pages away, takes them out again, moves them to other steps, and deletes what nobody ever saw.
/// </summary>
public sealed class PageShelf(Database database, Journal journal, TimeProvider time)
{
    /// <summary>The pages of a step that are put away, the newest first.</summary>
    public IReadOnlyList<Page> Archived(StepId step) =>
        database.Read(c =>
            c.Rows(
                $"""
                SELECT {PageStore.Columns}
                FROM pages
                WHERE step_id = $1 AND archived_at IS NOT NULL
                ORDER BY archived_at DESC, id
                """,
                PageStore.Map,
                step.Value
            )
        );

    /// <summary>What stands in the way of putting a page away; null for nothing.</summary>
    public ShelfProblem? Problem(Page page) => database.Read(c => Problem(c, page.Id));

    /// <summary>Can the page be deleted? Only what was never shown to anybody and is in no test.</summary>
    public bool CanBeDeleted(PageId page) => database.Read(c => CanBeDeleted(c, page));

    /// <summary>Is the page in a test that is not decided?</summary>
    public bool IsTested(PageId page) => database.Read(c => Running(c, page) is not null);

    /// <summary>
    /// Archives a page. A running test sends no new visitors there, in a new phase; those who have it keep it.
    /// </summary>
    /// <returns>What stands in the way, and nothing was changed; null when it is done.</returns>
    public Task<ShelfProblem?> ArchiveAsync(Page page) => journal.WriteAsync(c => Archive(c, page));

    /// <summary>Takes a page that was put away out again.</summary>
    public Task RestoreAsync(PageId page) =>
        journal.WriteAsync(c =>
        {
            c.Execute("UPDATE pages SET archived_at = NULL WHERE id = $1", page.Value);
        });

    /// <summary>
    /// Moves a page to another step. Figures of a test belong to the step where it ran: a page that was in one is put
    /// away there, and a clone of it stands on the other step.
    /// </summary>
    /// <returns>The page on the other step; or what stands in the way.</returns>
    public Task<(PageId Page, ShelfProblem? Problem)> MoveAsync(Page page, StepId to) =>
        journal.WriteAsync<(PageId, ShelfProblem?)>(c =>
        {
            if (Problem(c, page.Id) is { } problem)
                return (page.Id, problem);
            if (IsFree(c, page.Id))
            {
                c.Execute(
                    "UPDATE pages SET step_id = $2, name = $3 WHERE id = $1",
                    page.Id.Value,
                    to.Value,
                    PageStore.FreeName(c, to, page.Name)
                );
                c.Execute("UPDATE steps SET page_id = $2 WHERE id = $1 AND page_id IS NULL", to.Value, page.Id.Value);
                return (page.Id, null);
            }
            var clone = PageStore.Clone(c, page, page.Name, to, time.GetUtcNow());
            return (clone, Archive(c, page));
        });

    /// <summary>Deletes a page that nobody was ever shown.</summary>
    /// <returns>What stands in the way; null when it is gone.</returns>
    public async Task<ShelfProblem?> DeleteAsync(Page page)
    {
        // Visitors who saw it a moment ago are counted first.
        await journal.WhenProjectedAsync();
        return await journal.WriteAsync(c =>
        {
            if (Problem(c, page.Id) is { } problem)
                return problem;
            if (!CanBeDeleted(c, page.Id))
                return ShelfProblem.WasShown;
            c.Execute(
                "UPDATE pages SET parent_id = $2, parent_version = $3 WHERE parent_id = $1",
                page.Id.Value,
                page.Parent?.Value,
                page.ParentVersion
            );
            foreach (
                var table in (string[])
                    [
                        "draft_changes",
                        "draft_edits",
                        "drafts",
                        "version_files",
                        "page_versions",
                        "page_checks",
                        "page_watch",
                        "held_opt_ins",
                    ]
            )
                c.Execute($"DELETE FROM {table} WHERE page_id = $1", page.Id.Value);
            c.Execute("DELETE FROM excluded_pairs WHERE $1 IN (first_id, second_id)", page.Id.Value);
            c.Execute("DELETE FROM pages WHERE id = $1", page.Id.Value);
            return (ShelfProblem?)null;
        });
    }

    private ShelfProblem? Archive(SqliteConnection c, Page page)
    {
        if (Problem(c, page.Id) is { } problem)
            return problem;
        var now = time.GetUtcNow().ToUnixTimeMilliseconds();
        c.Execute("UPDATE pages SET archived_at = $2 WHERE id = $1 AND archived_at IS NULL", page.Id.Value, now);
        if (Running(c, page.Id) is not var (test, position, weights))
            return null;
        c.Execute("UPDATE tests SET weights = $2 WHERE id = $1", test, weights.Without([position]).ToString());
        TestPhases.Settle(
            c,
            new(test),
            $"“{page.Name}” is archived: new visitors are split {weights.Without([position])}",
            now,
            log: "owner"
        );
        return null;
    }

    private static ShelfProblem? Problem(SqliteConnection c, PageId page)
    {
        if (c.Number("SELECT 1 FROM steps WHERE page_id = $1", page.Value) is not null)
            return Running(c, page) is null ? ShelfProblem.IsShown : ShelfProblem.IsControl;
        if (c.Number("SELECT 1 FROM source_ties WHERE page_id = $1", page.Value) is not null)
            return ShelfProblem.IsTied;
        if (c.Number("SELECT 1 FROM tests WHERE others_id = $1 AND decided_at IS NULL", page.Value) is not null)
            return ShelfProblem.IsForOthers;
        if (Running(c, page) is not var (_, position, weights))
            return null;
        if (position == 0)
            return ShelfProblem.IsControl;
        return weights.Percent.Where((weight, other) => other != position && weight > 0).Count() < 2
            ? ShelfProblem.LeavesOne
            : null;
    }

    private static (long Test, int Position, Weights Weights)? Running(SqliteConnection c, PageId page) =>
        c.Rows(
                """
                SELECT t.id, p.position, t.weights
                FROM test_pages p JOIN tests t ON t.id = p.test_id
                WHERE p.page_id = $1 AND t.decided_at IS NULL
                """,
                row => ((long, int, Weights)?)(row.GetInt64(0), row.GetInt32(1), Weights.Parse(row.GetString(2))),
                page.Value
            )
            .SingleOrDefault();

    /// <summary>No test has it among its pages, running or decided.</summary>
    private static bool IsFree(SqliteConnection c, PageId page) =>
        c.Number(
            """
            SELECT 1
            FROM test_pages
            WHERE page_id = $1
            UNION ALL SELECT 1
            FROM tests
            WHERE others_id = $1
            UNION ALL SELECT 1
            FROM verdicts
            WHERE page_before_id = $1 LIMIT 1
            """,
            page.Value
        )
            is null;

    private static bool CanBeDeleted(SqliteConnection c, PageId page) =>
        IsFree(c, page) && c.Number("SELECT 1 FROM shown_pages WHERE page_id = $1", page.Value) is null;
}
