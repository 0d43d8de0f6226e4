using Microsoft.Data.Sqlite;
using Wexil.Core.Funnels;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>Funnels and their steps.</summary>
public sealed class FunnelStore(Database database, Journal journal, TimeProvider time)
{
    private const string StepColumns = "id, funnel_id, position, kind, name, slug, page_id";

    public IReadOnlyList<Funnel> All() => database.Read(c => c.Rows("SELECT id, slug, name FROM funnels ORDER BY id", MapFunnel));

    public Funnel? BySlug(string slug) => database.Read(c => c.Rows("SELECT id, slug, name FROM funnels WHERE slug = $1", MapFunnel, slug).SingleOrDefault());

    public IReadOnlyList<Step> Steps(FunnelId funnel) =>
        database.Read(c => c.Rows($"SELECT {StepColumns} FROM steps WHERE funnel_id = $1 ORDER BY position", MapStep, funnel.Value));

    public IReadOnlyList<Step> AllSteps() => database.Read(c => c.Rows($"SELECT {StepColumns} FROM steps ORDER BY funnel_id, position", MapStep));

    /// <summary>Is the link's name in use by any step of any funnel?</summary>
    public bool SlugTaken(string slug) => database.Read(c => SlugTaken(c, slug));

    /// <summary>Makes a funnel with a readable address of its own.</summary>
    public Task<Funnel> CreateAsync(string name) => journal.WriteAsync(c =>
    {
        var slug = Slug.Free(Slug.From(name), s => c.Number("SELECT 1 FROM funnels WHERE slug = $1", s) is not null);
        var id = c.Insert("INSERT INTO funnels (slug, name, created_at) VALUES ($1, $2, $3)", slug, name, time.GetUtcNow().ToUnixTimeMilliseconds());
        return new Funnel(new(id), slug, name);
    });

    /// <summary>Adds a step at the funnel's end; null when the link's name was taken meanwhile.</summary>
    public Task<Step?> AddStepAsync(FunnelId funnel, StepKind kind, string name, string slug) => journal.WriteAsync(c =>
    {
        if (SlugTaken(c, slug)) return null;
        var position = (int)(c.Number("SELECT coalesce(max(position) + 1, 0) FROM steps WHERE funnel_id = $1", funnel.Value) ?? 0);
        var id = c.Insert("INSERT INTO steps (funnel_id, position, kind, name, slug) VALUES ($1, $2, $3, $4, $5)", funnel.Value, position, kind.ToString(), name, slug);
        return new Step(new(id), funnel, position, kind, name, slug, null);
    });

    private static bool SlugTaken(SqliteConnection c, string slug) => c.Number("SELECT 1 FROM steps WHERE slug = $1", slug) is not null;

    private static Funnel MapFunnel(SqliteDataReader row) => new(new(row.GetInt64(0)), row.GetString(1), row.GetString(2));

    private static Step MapStep(SqliteDataReader row) => new(
        new(row.GetInt64(0)), new(row.GetInt64(1)), row.GetInt32(2), Enum.Parse<StepKind>(row.GetString(3)), row.GetString(4), row.GetString(5),
        row.NumberOrNull(6) is { } page ? new PageId(page) : null);
}
