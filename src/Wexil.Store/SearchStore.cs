namespace Wexil.Store;

/// <summary>A step or a page that was looked for.</summary>
/// <param name="Page">The page's slug; empty for a step.</param>
/// <param name="IsHosted">The page can be edited here.</param>
public sealed record SearchHit(
    string Name,
    string FunnelSlug,
    string FunnelName,
    string StepSlug,
    string StepName,
    bool IsSection,
    string Page,
    bool IsHosted
);

/// <summary>Finds steps and pages by a part of their names.</summary>
public sealed class SearchStore(Database database)
{
    /// <summary>In the order of funnels and steps, a step before its pages.</summary>
    /// <param name="words">Stand in the name of the step, of its funnel or of the page, or in the step's link.</param>
    /// <param name="slug">Is the link's name of the step or of the page.</param>
    public IReadOnlyList<SearchHit> Find(string words, string slug, int most) =>
        database.Read(c =>
            c.Rows(
                """
                SELECT coalesce(p.name, s.name), f.slug, f.name, s.slug, s.name, s.host_id IS NOT NULL,
                  coalesce(p.slug, ''), p.entry IS NOT NULL
                FROM (
                  SELECT s.id AS step, NULL AS page
                  FROM steps s JOIN funnels f ON f.id = s.funnel_id
                  WHERE s.slug = $2 OR holds(s.name, $1) OR holds(s.slug, $1) OR holds(f.name, $1)
                  UNION ALL
                  SELECT step_id, id FROM pages WHERE archived_at IS NULL AND (slug = $2 OR holds(name, $1))
                ) found
                JOIN steps s ON s.id = found.step
                JOIN funnels f ON f.id = s.funnel_id
                LEFT JOIN pages p ON p.id = found.page
                ORDER BY s.funnel_id, s.position, p.id
                LIMIT $3
                """,
                row => new SearchHit(
                    row.GetString(0),
                    row.GetString(1),
                    row.GetString(2),
                    row.GetString(3),
                    row.GetString(4),
                    row.GetBoolean(5),
                    row.GetString(6),
                    row.GetBoolean(7)
                ),
                words,
                slug,
                most
            )
        );
}
