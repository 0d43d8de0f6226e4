using System.Data;
using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Store.Recording;
using Wexil.Store.Recording.Projection;

namespace Wexil.Store;

/// <summary>Funnels and their steps.</summary>
public sealed class FunnelStore(Database database, Journal journal, TimeProvider time)
{
    internal const string StepColumns =
        "id, funnel_id, position, kind, name, slug, page_id, yes_id, no_id, "
        + "archived_at IS NOT NULL archived, forward, carries, redirects, starts_on_page, start_wait, host_id";
    private const int FirstSection = 1000;
    private const string FunnelColumns = "id, slug, name, archived_at IS NOT NULL, sale_worth";

    /// <summary>Every funnel that is not put away.</summary>
    public IReadOnlyList<Funnel> All() =>
        database.Read(c =>
            c.Rows($"SELECT {FunnelColumns} FROM funnels WHERE archived_at IS NULL ORDER BY id", MapFunnel)
        );

    /// <summary>The newest funnels that are not put away, at most so many, the oldest of them first.</summary>
    public IReadOnlyList<Funnel> Newest(int most) =>
        database.Read(c =>
            c.Rows(
                $"""
                SELECT * FROM (
                  SELECT {FunnelColumns} FROM funnels WHERE archived_at IS NULL ORDER BY id DESC LIMIT $1
                ) ORDER BY id
                """,
                MapFunnel,
                most
            )
        );

    /// <summary>All, those put away too: their tests go on.</summary>
    public IReadOnlyDictionary<FunnelId, Funnel> Every() => database.Read(Every);

    private static Dictionary<FunnelId, Funnel> Every(SqliteConnection c) =>
        c.Rows($"SELECT {FunnelColumns} FROM funnels", MapFunnel).ToDictionary(funnel => funnel.Id);

    /// <summary>Every funnel that is put away.</summary>
    public IReadOnlyList<Funnel> Archived() =>
        database.Read(c =>
            c.Rows($"SELECT {FunnelColumns} FROM funnels WHERE archived_at IS NOT NULL ORDER BY id", MapFunnel)
        );

    /// <summary>Null where there is none of this name in addresses.</summary>
    public Funnel? BySlug(string slug) =>
        database.Read(c =>
            c.Rows($"SELECT {FunnelColumns} FROM funnels WHERE slug = $1", MapFunnel, slug).SingleOrDefault()
        );

    /// <summary>A funnel's steps in order, archived ones included; no sections.</summary>
    public IReadOnlyList<Step> Steps(FunnelId funnel) => database.Read(c => Steps(c, funnel));

    /// <summary>The sections on the pages of a funnel, the oldest first, archived ones included.</summary>
    public IReadOnlyList<Step> Sections(FunnelId funnel) => database.Read(c => Sections(c, funnel));

    /// <summary>The steps of all funnels in order, those put away and sections too.</summary>
    public IReadOnlyList<Step> AllSteps() =>
        database.Read(c => c.Rows($"SELECT {StepColumns} FROM steps ORDER BY funnel_id, position", MapStep));

    /// <summary>Steps and sections by their ids.</summary>
    public IReadOnlyDictionary<StepId, Step> FindSteps(IEnumerable<StepId> steps) =>
        database.Read(c =>
            c.Rows(
                    $"SELECT {StepColumns} FROM steps WHERE id IN (SELECT value FROM json_each($1))",
                    MapStep,
                    EvidenceStore.Json(steps.Select(step => step.Value).Distinct())
                )
                .ToDictionary(step => step.Id)
        );

    /// <summary>Is the link's name in use by any step of any funnel?</summary>
    public bool SlugTaken(string slug) => database.Read(c => SlugTaken(c, slug));

    /// <summary>Makes a funnel with a readable address of its own.</summary>
    public Task<Funnel> CreateAsync(string name) => journal.WriteAsync(c => Create(c, name));

    /// <summary>Makes a funnel with its steps and pages at once. Links whose names are taken get a number.</summary>
    /// <param name="isLive">Its steps show their pages at once; otherwise once somebody says so.</param>
    public Task<Funnel> CreateAsync(string name, IReadOnlyList<FunnelStep> steps, bool isLive = true) =>
        journal.WriteAsync(c =>
        {
            var funnel = Create(c, name);
            var now = time.GetUtcNow();
            var ids = new List<StepId>();
            foreach (var step in steps)
            {
                var made = Insert(c, funnel.Id, step.Kind, step.Name, Slug.Free(step.Slug, slug => SlugTaken(c, slug)));
                ids.Add(made.Id);
                var pages = new List<PageId>();
                foreach (var page in step.Pages)
                {
                    var id = page.Bundle is { } bundle
                        ? PageStore.Add(c, made.Id, page.Name, bundle, "Imported", now, isLive: false)
                        : PageStore.AddOutside(c, made.Id, page.Name, page.Outside!, now, isLive: false);
                    if (page.Parent is { } parent)
                        c.Execute(
                            "UPDATE pages SET parent_id = $2, parent_version = 1 WHERE id = $1",
                            id.Value,
                            pages[parent].Value
                        );
                    if (page.IsIndexed)
                        c.Execute("UPDATE pages SET indexed = 1 WHERE id = $1", id.Value);
                    pages.Add(id);
                }
                if (isLive && step.Shown < pages.Count)
                    PageStore.Show(c, pages[step.Shown]);
            }
            for (var i = 0; i < steps.Count; i++)
                c.Execute(
                    "UPDATE steps SET yes_id = $2, no_id = $3 WHERE id = $1",
                    ids[i].Value,
                    steps[i].Yes is { } yes ? ids[yes].Value : null,
                    steps[i].No is { } no ? ids[no].Value : null
                );
            return funnel;
        });

    /// <summary>The newest steps of a kind that are in use, in funnels that are in use; at most so many.</summary>
    public IReadOnlyList<(Step Step, Funnel Funnel)> NewestSteps(StepKind kind, int most) =>
        database.Read(c =>
        {
            var every = Every(c);
            return c.Rows(
                    $"""
                    SELECT {StepColumns} FROM steps
                    WHERE kind = $1 AND archived_at IS NULL AND host_id IS NULL
                      AND funnel_id IN (SELECT id FROM funnels WHERE archived_at IS NULL)
                    ORDER BY id DESC LIMIT $2
                    """,
                    MapStep,
                    kind.ToString(),
                    most
                )
                .ConvertAll(step => (step, every[step.Funnel]));
        });

    /// <summary>Steps of a funnel with pages of which nobody has said yet that one is live, in order.</summary>
    public IReadOnlyList<Step> NotLive(FunnelId funnel) =>
        database.Read(c =>
            c.Rows(
                $"""
                SELECT {StepColumns} FROM steps s
                WHERE funnel_id = $1 AND host_id IS NULL AND archived_at IS NULL AND page_id IS NULL
                  AND EXISTS (SELECT 1 FROM pages p WHERE p.step_id = s.id AND p.archived_at IS NULL)
                ORDER BY position
                """,
                MapStep,
                funnel.Value
            )
        );

    /// <summary>Every step of the funnel that shows no page shows its oldest from now on.</summary>
    public Task GoLiveAsync(FunnelId funnel) =>
        journal.WriteAsync(c =>
        {
            c.Execute(
                """
                UPDATE steps SET page_id =
                  (SELECT min(id) FROM pages WHERE step_id = steps.id AND archived_at IS NULL)
                WHERE funnel_id = $1 AND page_id IS NULL AND host_id IS NULL
                """,
                funnel.Value
            );
        });

    /// <summary>Adds a step at the funnel's end; null when the link's name was taken meanwhile.</summary>
    public Task<Step?> AddStepAsync(FunnelId funnel, StepKind kind, string name, string slug) =>
        journal.WriteAsync(c => SlugTaken(c, slug) ? null : Insert(c, funnel, kind, name, slug));

    /// <summary>Marks a part of a step's page as a section; null when the key was taken meanwhile.</summary>
    /// <param name="key">By it pages name the section; no step and no other section has it.</param>
    /// <param name="first">The part as it is now, which is the first version.</param>
    public Task<Step?> AddSectionAsync(Step host, string name, string key, string first) =>
        journal.WriteAsync<Step?>(c =>
        {
            if (SlugTaken(c, key))
                return null;
            // Behind all steps that a funnel can ever have; a section is no place on the path and has no number there.
            var position = Math.Max(FirstSection, Next(c, host.Funnel, "position", "host_id IS NOT NULL"));
            var id = c.Insert(
                """
                INSERT INTO steps (funnel_id, position, kind, name, slug, number, host_id)
                VALUES ($1, $2, $3, $4, $5, -1, $6)
                """,
                host.Funnel.Value,
                position,
                host.Kind.ToString(),
                name,
                key,
                host.Id.Value
            );
            PageStore.AddVersion(c, new(id), "As it is", first, "As it stood on the page", time.GetUtcNow());
            return Sections(c, host.Funnel).Single(section => section.Id.Value == id);
        });

    /// <summary>
    /// Makes a step like another, right behind it, with a link of its own and a clone of each of its pages.
    /// </summary>
    public Task<Step> CloneStepAsync(Step step, string name) =>
        journal.WriteAsync(c =>
        {
            var clone = Insert(c, step.Funnel, step.Kind, name, Slug.Free(Slug.From(name), slug => SlugTaken(c, slug)));
            ClonePages(c, step, clone.Id);
            var order = Steps(c, step.Funnel).Select(other => other.Id).Where(id => id != clone.Id).ToList();
            order.Insert(order.IndexOf(step.Id) + 1, clone.Id);
            Order(c, order);
            return clone;
        });

    /// <summary>Makes a funnel like another, with fresh links and a clone of each page that its steps show.</summary>
    /// <param name="rename">Gives a page's source with other steps' links in place of some.</param>
    public Task<Funnel> CloneAsync(
        Funnel funnel,
        string name,
        Func<string, IReadOnlyDictionary<string, string>, string> rename
    ) =>
        journal.WriteAsync(c =>
        {
            var clone = Create(c, name);
            var made = new Dictionary<StepId, StepId>();
            var steps = Steps(c, funnel.Id).Where(step => !step.IsArchived).ToArray();
            foreach (var step in steps)
            {
                var copy = Insert(
                    c,
                    clone.Id,
                    step.Kind,
                    step.Name,
                    Slug.Free(Slug.From($"{clone.Slug}-{Slug.From(step.Name)}"), slug => SlugTaken(c, slug))
                );
                made[step.Id] = copy.Id;
                ClonePages(c, step, copy.Id);
            }
            foreach (var step in steps)
                c.Execute(
                    "UPDATE steps SET yes_id = $2, no_id = $3 WHERE id = $1",
                    made[step.Id].Value,
                    Copy(step.Yes),
                    Copy(step.No)
                );
            // Links from step to step stay within the clone.
            var slugs = steps.ToDictionary(
                step => step.Slug,
                step => c.Text("SELECT slug FROM steps WHERE id = $1", made[step.Id].Value)!
            );
            foreach (var copy in made.Values)
                PageStore.Relink(c, copy, html => rename(html, slugs));
            return clone;

            long? Copy(StepId? to) => to is { } id && made.TryGetValue(id, out var copy) ? copy.Value : null;
        });

    /// <summary>Names a funnel; its address stays.</summary>
    public Task RenameAsync(FunnelId funnel, string name) =>
        journal.WriteAsync(c =>
        {
            c.Execute("UPDATE funnels SET name = $2 WHERE id = $1", funnel.Value, name);
        });

    /// <summary>Changes what a step is called and what it is for; its link stays.</summary>
    public Task ChangeStepAsync(StepId step, string name, StepKind kind, StepId? yes, StepId? no) =>
        journal.WriteAsync(c =>
        {
            c.Execute(
                "UPDATE steps SET name = $2, kind = $3, yes_id = $4, no_id = $5 WHERE id = $1",
                step.Value,
                name,
                kind.ToString(),
                yes?.Value,
                no?.Value
            );
        });

    /// <summary>How a step's link hands its visitors on.</summary>
    public Task SetLinkAsync(StepId step, CarriedParameters carries, bool redirects) =>
        journal.WriteAsync(c =>
        {
            c.Execute(
                "UPDATE steps SET carries = $2, redirects = $3 WHERE id = $1",
                step.Value,
                carries.ToString(),
                redirects ? 1 : 0
            );
        });

    /// <summary>
    /// Whether a step's test starts on the control's own page, and how long that page waits, in milliseconds.
    /// </summary>
    public Task SetStartAsync(StepId step, bool startsOnPage, int wait) =>
        journal.WriteAsync(c =>
        {
            c.Execute(
                "UPDATE steps SET starts_on_page = $2, start_wait = $3 WHERE id = $1",
                step.Value,
                startsOnPage ? 1 : 0,
                wait
            );
        });

    /// <summary>What a sale in the funnel brings on average; null for not known.</summary>
    public Task SetSaleWorthAsync(FunnelId funnel, long? worth) =>
        journal.WriteAsync(c =>
        {
            c.Execute("UPDATE funnels SET sale_worth = $2 WHERE id = $1", funnel.Value, worth);
        });

    /// <summary>Puts the steps of a funnel in a new order; those not named keep theirs behind them.</summary>
    public Task OrderAsync(FunnelId funnel, IReadOnlyList<StepId> order) =>
        journal.WriteAsync(c =>
        {
            var all = Steps(c, funnel).Select(step => step.Id).ToList();
            Order(c, [.. order.Where(all.Contains).Distinct(), .. all.Except(order)]);
        });

    /// <summary>Puts a step away. Its link goes on showing its page, or leads where the owner says.</summary>
    public Task ArchiveStepAsync(StepId step, string? forward) =>
        journal.WriteAsync(c =>
        {
            c.Execute(
                "UPDATE steps SET archived_at = $2, forward = $3 WHERE id = $1",
                step.Value,
                time.GetUtcNow().ToUnixTimeMilliseconds(),
                forward
            );
        });

    /// <summary>Takes a step that was put away out again.</summary>
    public Task RestoreStepAsync(StepId step) =>
        journal.WriteAsync(c =>
        {
            c.Execute("UPDATE steps SET archived_at = NULL, forward = NULL WHERE id = $1", step.Value);
        });

    /// <summary>Puts a whole funnel away, or takes it out again. Its links go on working.</summary>
    public Task ArchiveAsync(FunnelId funnel, bool archived) =>
        journal.WriteAsync(c =>
        {
            c.Execute(
                "UPDATE funnels SET archived_at = $2 WHERE id = $1",
                funnel.Value,
                archived ? time.GetUtcNow().ToUnixTimeMilliseconds() : null
            );
        });

    internal static Step MapStep(SqliteDataReader row) =>
        new(
            new(row.GetInt64("id")),
            new(row.GetInt64("funnel_id")),
            row.GetInt32("position"),
            Enum.Parse<StepKind>(row.GetString("kind")),
            row.GetString("name"),
            row.GetString("slug"),
            row.NumberOrNull("page_id") is { } page ? new PageId(page) : null,
            row.NumberOrNull("yes_id") is { } yes ? new StepId(yes) : null,
            row.NumberOrNull("no_id") is { } no ? new StepId(no) : null,
            row.GetBoolean("archived"),
            row.TextOrNull("forward")
        )
        {
            Carries = CarriedParameters.Parse(row.GetString("carries")),
            Redirects = row.GetBoolean("redirects"),
            StartsOnPage = row.GetBoolean("starts_on_page"),
            StartWait = row.GetInt32("start_wait"),
            Host = row.NumberOrNull("host_id") is { } host ? new StepId(host) : null,
        };

    private Funnel Create(SqliteConnection c, string name)
    {
        var slug = Slug.Free(Slug.From(name), s => c.Number("SELECT 1 FROM funnels WHERE slug = $1", s) is not null);
        return new(
            new(
                c.Insert(
                    "INSERT INTO funnels (slug, name, created_at) VALUES ($1, $2, $3)",
                    slug,
                    name,
                    time.GetUtcNow().ToUnixTimeMilliseconds()
                )
            ),
            slug,
            name,
            IsArchived: false
        );
    }

    private void ClonePages(SqliteConnection c, Step step, StepId to)
    {
        // The page shown first, so that it is the one that goes live first.
        foreach (
            var id in c.Rows(
                "SELECT id FROM pages WHERE step_id = $1 AND archived_at IS NULL ORDER BY id = $2 DESC, id",
                row => new PageId(row.GetInt64(0)),
                step.Id.Value,
                step.Page?.Value ?? 0
            )
        )
        {
            var page = PageStore.Find(c, id)!;
            PageStore.Clone(c, page, page.Name, to, time.GetUtcNow());
        }
    }

    private static Step Insert(SqliteConnection c, FunnelId funnel, StepKind kind, string name, string slug)
    {
        var position = (int)Next(c, funnel, "position", "host_id IS NULL");
        var number = Next(c, funnel, "number", "host_id IS NULL");
        if (number >= StepRole.MaxSteps)
            throw new StoreException(
                $"A funnel can have up to {StepRole.MaxSteps} steps, archived ones included. Create another funnel."
            );
        var id = c.Insert(
            "INSERT INTO steps (funnel_id, position, kind, name, slug, number) VALUES ($1, $2, $3, $4, $5, $6)",
            funnel.Value,
            position,
            kind.ToString(),
            name,
            slug,
            number
        );
        return new(new(id), funnel, position, kind, name, slug, null);
    }

    private static long Next(SqliteConnection c, FunnelId funnel, string column, string which) =>
        c.Number($"SELECT coalesce(max({column}) + 1, 0) FROM steps WHERE funnel_id = $1 AND {which}", funnel.Value)
        ?? 0;

    private static void Order(SqliteConnection c, IReadOnlyList<StepId> order)
    {
        // No two steps may stand at one place, not even for a moment.
        for (var i = 0; i < order.Count; i++)
            c.Execute("UPDATE steps SET position = $2 WHERE id = $1", order[i].Value, -1 - i);
        for (var i = 0; i < order.Count; i++)
            c.Execute("UPDATE steps SET position = $2 WHERE id = $1", order[i].Value, i);
    }

    private static List<Step> Steps(SqliteConnection c, FunnelId funnel) =>
        c.Rows(
            $"SELECT {StepColumns} FROM steps WHERE funnel_id = $1 AND host_id IS NULL ORDER BY position",
            MapStep,
            funnel.Value
        );

    private static List<Step> Sections(SqliteConnection c, FunnelId funnel) =>
        c.Rows(
            $"SELECT {StepColumns} FROM steps WHERE funnel_id = $1 AND host_id IS NOT NULL ORDER BY position",
            MapStep,
            funnel.Value
        );

    private static bool SlugTaken(SqliteConnection c, string slug) =>
        c.Number("SELECT 1 FROM steps WHERE slug = $1", slug) is not null;

    private static Funnel MapFunnel(SqliteDataReader row) =>
        new(new(row.GetInt64(0)), row.GetString(1), row.GetString(2), row.GetBoolean(3), row.NumberOrNull(4));
}
