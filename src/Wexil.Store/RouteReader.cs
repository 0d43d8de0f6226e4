using System.Collections.Frozen;
using System.Data;
using Microsoft.Data.Sqlite;
using Wexil.Core.AdNetworks;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.Sales;
using Wexil.Core.SplitTests;
using Wexil.Core.Targeting;

namespace Wexil.Store;

/// <summary>
/// Reads the routes of the funnels from one id to another, each kind of thing by one query. Nothing in a funnel depends
/// on what is in another.
/// </summary>
internal sealed class RouteReader(
    SqliteConnection connection,
    long from,
    long to,
    Func<string, OutsideAddress> address,
    Func<string, Audience> audience
)
{
    /// <summary>What the pages of a step have in common.</summary>
    /// <param name="Link">The step's own.</param>
    /// <param name="Tills">Where the funnel takes money.</param>
    /// <param name="Key">The same for pages that are wired alike.</param>
    private readonly record struct StepWiring(string Link, string[] Tills, string Key);

    private readonly record struct TestPage(long Test, RoutePage Page, bool Rests, bool IsClosed);

    public RouteTable Read()
    {
        var funnels = Funnels();
        var wirings = Wirings(funnels);
        var pages = Pages(wirings);
        return new(Steps(funnels, pages), pages.Values)
        {
            Goals = Goals(),
            HeedsPrivacyControl = Setting(SettingStore.PrivacyName) != "no",
            NeedsConsent = Setting(SettingStore.ConsentName) == "yes",
            PassThrough = Setting(SettingStore.MappingName) is { } mapping
                ? HookMapping.Parse(mapping).PassThrough
                : "",
            AffiliateParameter = Setting(SettingStore.AffiliateName) ?? RouteTable.DefaultAffiliateParameter,
        };
    }

    private string? Setting(string name) => connection.Text("SELECT value FROM settings WHERE name = $1", name);

    private Step[][] Funnels() =>
        [
            .. connection
                .Rows(
                    $"""
                    SELECT {FunnelStore.StepColumns}
                    FROM steps
                    WHERE funnel_id BETWEEN $1 AND $2
                    ORDER BY funnel_id, position
                    """,
                    FunnelStore.MapStep,
                    from,
                    to
                )
                .GroupBy(step => step.Funnel)
                .Select(funnel => funnel.ToArray()),
        ];

    private Dictionary<StepId, StepWiring> Wirings(Step[][] funnels)
    {
        var addresses = CheckoutAddresses();
        var wirings = new Dictionary<StepId, StepWiring>();
        foreach (var funnel in funnels)
        {
            string[] tills = [.. RouteStore.Tills(OnPath(funnel), step => addresses[step.Id])];
            foreach (var step in funnel)
            {
                var own = step.Kind == StepKind.Checkout ? [] : tills;
                wirings[step.Id] = new(step.Slug, own, string.Join('\n', [step.Slug, .. own]));
            }
        }
        return wirings;
    }

    private static Step[] OnPath(Step[] funnel) => Array.FindAll(funnel, step => !step.IsSection);

    private ILookup<StepId, Uri?> CheckoutAddresses() =>
        connection
            .Rows(
                """
                SELECT p.step_id, p.outside
                FROM pages p JOIN steps s ON s.id = p.step_id
                WHERE s.funnel_id BETWEEN $1 AND $2 AND s.kind = 'Checkout' AND p.outside IS NOT NULL
                ORDER BY p.id
                """,
                row => (Step: new StepId(row.GetInt64(0)), Address: new Uri(row.GetString(1))),
                from,
                to
            )
            .ToLookup(row => row.Step, row => (Uri?)row.Address);

    private Dictionary<PageId, RoutePage> Pages(Dictionary<StepId, StepWiring> wirings) =>
        connection
            .HotRows(
                """
                SELECT p.id, p.step_id, p.slug, p.revision, p.outside, p.indexed, p.leads_to, s.funnel_id,
                  f.archived_at IS NULL
                FROM pages p JOIN steps s ON s.id = p.step_id JOIN funnels f ON f.id = s.funnel_id
                WHERE s.funnel_id BETWEEN $1 AND $2
                ORDER BY p.id
                """,
                from,
                to,
                row =>
                {
                    var wiring = wirings[new(row.Number(1))];
                    return new RoutePage(
                        new(row.Number(0)),
                        new(row.Number(1)),
                        row.Text(2)!,
                        (int)row.Number(3),
                        row.Text(4) is { } outside ? address(outside) : null
                    )
                    {
                        IsIndexed = row.Number(5) != 0,
                        LeadsTo = row.Text(6) is { } there ? address(there) : null,
                        Funnel = new(row.Number(7)),
                        HoldsAddress = row.Number(8) != 0,
                        Link = wiring.Link,
                        Tills = wiring.Tills,
                        WiringKey = wiring.Key,
                    };
                }
            )
            .ToDictionary(page => page.Id);

    private RouteStep[] Steps(Step[][] funnels, Dictionary<PageId, RoutePage> pages)
    {
        var (tests, ties, affiliates, networks) = (Tests(pages), Ties(pages), Affiliates(), Networks());
        var excluded = Excluded([.. tests.Values.Select(test => test.Pages[test.Control].Id)]);
        return [.. funnels.SelectMany(funnel => funnel.Select(step => Route(OnPath(funnel), step)))];

        RouteStep Route(Step[] funnel, Step step) =>
            new(
                step.Id,
                step.Slug,
                step.Page is { } page ? pages[page] : null,
                tests.GetValueOrDefault(step.Id),
                FunnelPath.Yes(funnel, step)?.Slug,
                FunnelPath.No(funnel, step)?.Slug,
                step.IsArchived ? step.Forward : null
            )
            {
                Funnel = step.Funnel,
                Host = step.Host,
                Carries = step.Carries,
                StartsOnPage = step.StartsOnPage,
                Redirects = step.Redirects,
                Excluded = step.IsSection ? excluded : FrozenDictionary<PageId, IReadOnlySet<PageId>>.Empty,
                Tied = ties.GetValueOrDefault(step.Id, FrozenDictionary<string, RoutePage>.Empty),
                Networks = networks.GetValueOrDefault(step.Funnel, FrozenDictionary<string, RouteNetwork>.Empty),
                Affiliates = affiliates.GetValueOrDefault(step.Funnel, FrozenSet<string>.Empty),
            };
    }

    /// <summary>
    /// The test of each step that is not decided, else the newest, which may be taken up again; with its newest phase.
    /// </summary>
    private Dictionary<StepId, RouteTest> Tests(Dictionary<PageId, RoutePage> pages)
    {
        var testPages = TestPages(pages);
        return connection
            .Rows(
                """
                SELECT t.id, t.step_id, t.decided_at IS NULL AND t.paused_at IS NULL runs, p.id phase_id,
                  p.weights phase_weights, t.started_at, t.ends_at, t.turns, t.share, t.audience,
                  t.others_id, t.weights
                FROM steps s JOIN tests t ON t.id = coalesce(
                  (SELECT max(id) FROM tests n WHERE n.step_id = s.id AND n.decided_at IS NULL),
                  (SELECT max(id) FROM tests n WHERE n.step_id = s.id))
                LEFT JOIN phases p ON p.id = (SELECT max(id) FROM phases n WHERE n.test_id = t.id)
                WHERE s.funnel_id BETWEEN $1 AND $2
                """,
                row =>
                    (
                        Step: new StepId(row.GetInt64("step_id")),
                        Test: MapTest(row, [.. testPages[row.GetInt64("id")]], pages)
                    ),
                from,
                to
            )
            .ToDictionary(row => row.Step, row => row.Test);
    }

    private RouteTest MapTest(SqliteDataReader row, TestPage[] own, Dictionary<PageId, RoutePage> pages)
    {
        var phase =
            row.GetBoolean("runs") && row.NumberOrNull("phase_id") is { } newest ? new PhaseId(newest) : (PhaseId?)null;
        // While nobody is drawn, the phase before may know fewer pages than there are by now.
        var weights = Weights.Parse(phase is null ? row.GetString("weights") : row.GetString("phase_weights"));
        return new(new(row.GetInt64("id")), phase, [.. own.Select(page => page.Page)], weights, 0)
        {
            From = row.Time("started_at"),
            Until = row.TimeOrNull("ends_at") ?? DateTimeOffset.MaxValue,
            Allocation = StoredAllocation.Parse(row.GetString("turns")),
            Share = row.GetInt32("share"),
            Audience = audience(row.GetString("audience")),
            Others = row.NumberOrNull("others_id") is { } others ? pages[new(others)] : null,
            Resting = Ids(own.Where(page => page.Rests)),
            ClosedToAffiliates = Ids(own.Where(page => page.IsClosed)),
        };

        static IReadOnlySet<PageId> Ids(IEnumerable<TestPage> of) => of.Select(page => page.Page.Id).ToHashSet();
    }

    private ILookup<long, TestPage> TestPages(Dictionary<PageId, RoutePage> pages) =>
        connection
            .HotRows(
                """
                SELECT p.test_id, p.page_id, p.rests, p.closed_to_affiliates
                FROM test_pages p JOIN tests t ON t.id = p.test_id JOIN steps s ON s.id = t.step_id
                WHERE s.funnel_id BETWEEN $1 AND $2
                ORDER BY p.test_id, p.position
                """,
                from,
                to,
                row => new TestPage(row.Number(0), pages[new(row.Number(1))], row.Number(2) != 0, row.Number(3) != 0)
            )
            .ToLookup(row => row.Test);

    private Dictionary<StepId, IReadOnlyDictionary<string, RoutePage>> Ties(Dictionary<PageId, RoutePage> pages) =>
        connection
            .Rows(
                """
                SELECT t.step_id, s.tag, t.page_id
                FROM source_ties t JOIN sources s ON s.id = t.source_id
                WHERE s.funnel_id BETWEEN $1 AND $2
                """,
                row => (Step: new StepId(row.GetInt64(0)), Tag: row.GetString(1), Page: pages[new(row.GetInt64(2))]),
                from,
                to
            )
            .GroupBy(tie => tie.Step)
            .ToDictionary(
                group => group.Key,
                group => (IReadOnlyDictionary<string, RoutePage>)group.ToDictionary(tie => tie.Tag, tie => tie.Page)
            );

    /// <summary>Versions of sections with those that they are never shown with, both ways.</summary>
    /// <param name="controls">They go with everything, whatever was said before they became it.</param>
    private Dictionary<PageId, IReadOnlySet<PageId>> Excluded(HashSet<PageId> controls) =>
        connection
            .Rows(
                """
                SELECT e.first_id, e.second_id
                FROM excluded_pairs e JOIN pages p ON p.id = e.first_id JOIN steps s ON s.id = p.step_id
                WHERE s.funnel_id BETWEEN $1 AND $2
                """,
                row => (One: new PageId(row.GetInt64(0)), Other: new PageId(row.GetInt64(1))),
                from,
                to
            )
            .Where(pair => !controls.Contains(pair.One) && !controls.Contains(pair.Other))
            .SelectMany(pair => new[] { pair, (One: pair.Other, Other: pair.One) })
            .GroupBy(pair => pair.One, pair => pair.Other)
            .ToDictionary(group => group.Key, group => (IReadOnlySet<PageId>)group.ToHashSet());

    private Dictionary<FunnelId, IReadOnlySet<string>> Affiliates() =>
        connection
            .Rows(
                "SELECT funnel_id, tag FROM sources WHERE kind = 'Affiliate' AND funnel_id BETWEEN $1 AND $2",
                row => (Funnel: new FunnelId(row.GetInt64(0)), Tag: row.GetString(1)),
                from,
                to
            )
            .GroupBy(source => source.Funnel)
            .ToDictionary(
                group => group.Key,
                group => (IReadOnlySet<string>)group.Select(source => source.Tag).ToHashSet()
            );

    private Dictionary<FunnelId, IReadOnlyDictionary<string, RouteNetwork>> Networks() =>
        connection
            .Rows(
                """
                SELECT s.funnel_id, s.tag, n.click_part, n.cost_part, n.most_a_click
                FROM source_networks n JOIN sources s ON s.id = n.source_id
                WHERE s.funnel_id BETWEEN $1 AND $2
                """,
                row =>
                    (
                        Funnel: new FunnelId(row.GetInt64(0)),
                        Tag: row.GetString(1),
                        Network: new RouteNetwork(
                            LinkPart.Parse(row.GetString(2))!.Value.Name,
                            LinkPart.Parse(row.GetString(3))?.Name,
                            row.GetInt64(4)
                        )
                    ),
                from,
                to
            )
            .GroupBy(source => source.Funnel)
            .ToDictionary(
                group => group.Key,
                group =>
                    (IReadOnlyDictionary<string, RouteNetwork>)
                        group.ToFrozenDictionary(source => source.Tag, source => source.Network)
            );

    private RouteGoal[] Goals() =>
        connection
            .Rows(
                """
                SELECT g.id, g.key, g.spec, s.funnel_id, s.id, p.page_id
                FROM goals g JOIN tests t ON t.id = g.test_id JOIN steps s ON s.id = t.step_id
                  JOIN test_pages p ON p.test_id = t.id AND p.position = 0
                WHERE t.decided_at IS NULL AND g.dropped_at IS NULL AND s.funnel_id BETWEEN $1 AND $2
                """,
                row => new RouteGoal(
                    new(row.GetInt64(0)),
                    row.GetString(1),
                    Goal.Parse(row.GetString(2)),
                    new(row.GetInt64(3)),
                    new(row.GetInt64(4)),
                    new(row.GetInt64(5))
                ),
                from,
                to
            )
            .Where(goal => goal.Goal.Kind is GoalKind.Address or GoalKind.Click or GoalKind.Signal)
            .ToArray();
}
