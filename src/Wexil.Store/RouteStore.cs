using System.Collections.Frozen;
using System.Data;
using Wexil.Core.AdNetworks;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.Sales;
using Wexil.Core.SplitTests;
using Wexil.Core.Targeting;

namespace Wexil.Store;

/// <summary>Reads what the visitors' side answers from.</summary>
public sealed class RouteStore(Database database)
{
    // Reading an address or an audience takes longer than all else, and a change leaves nearly all of them as they
    // were.
    private readonly Kept<OutsideAddress> _addresses = new(text => new(new Uri(text)));
    private readonly Kept<Audience> _audiences = new(Audience.Parse);

    /// <summary>Reads the whole table.</summary>
    public RouteTable Load() => Load(0, long.MaxValue);

    /// <summary>
    /// A table with one funnel as it is stored now: what a change within it takes, however many others there are.
    /// </summary>
    public RouteTable Load(RouteTable before, FunnelId funnel) => before.With(funnel, Load(funnel.Value, funnel.Value));

    /// <summary>Reads the funnels from one id to another. Nothing in a funnel depends on what is in another.</summary>
    private RouteTable Load(long from, long to) =>
        database.Read(c =>
        {
            var funnels = c.Rows(
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
                .ToArray();
            var tills = c.Rows(
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
            var wirings = funnels.SelectMany(funnel => Wirings([.. funnel], step => tills[step.Id])).ToDictionary();
            var pages = c.HotRows(
                    """
                    SELECT p.id, p.step_id, p.slug, p.revision, p.outside, p.indexed, p.leads_to
                    FROM pages p JOIN steps s ON s.id = p.step_id
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
                            row.Text(4) is { } outside ? _addresses.Get(outside) : null
                        )
                        {
                            IsIndexed = row.Number(5) != 0,
                            LeadsTo = row.Text(6) is { } there ? _addresses.Get(there) : null,
                            Link = wiring.Link,
                            Tills = wiring.Tills,
                            WiringKey = wiring.Key,
                        };
                    }
                )
                .ToDictionary(page => page.Id);

            var testPages = c.HotRows(
                    """
                    SELECT p.test_id, p.page_id, p.rests, p.closed_to_affiliates
                    FROM test_pages p JOIN tests t ON t.id = p.test_id JOIN steps s ON s.id = t.step_id
                    WHERE s.funnel_id BETWEEN $1 AND $2
                    ORDER BY p.test_id, p.position
                    """,
                    from,
                    to,
                    row =>
                        (
                            Test: row.Number(0),
                            Page: pages[new(row.Number(1))],
                            Rests: row.Number(2) != 0,
                            Closed: row.Number(3) != 0
                        )
                )
                .ToLookup(row => row.Test);
            // The newest test of a step, with its newest phase: not decided, or decided and still able to be taken up
            // again.
            var tests = c.Rows(
                    """
                    SELECT t.id, t.step_id, t.decided_at IS NULL AND t.paused_at IS NULL runs, p.id phase_id,
                      p.weights phase_weights, t.started_at, t.ends_at, t.turns, t.share, t.audience,
                      t.others_id, t.weights
                    FROM steps s JOIN tests t ON t.id = (SELECT max(id) FROM tests n WHERE n.step_id = s.id)
                    LEFT JOIN phases p ON p.id = (SELECT max(id) FROM phases n WHERE n.test_id = t.id)
                    WHERE s.funnel_id BETWEEN $1 AND $2
                    """,
                    row =>
                    {
                        var own = testPages[row.GetInt64("id")].ToArray();
                        var phase =
                            row.GetBoolean("runs") && row.NumberOrNull("phase_id") is { } newest
                                ? new PhaseId(newest)
                                : (PhaseId?)null;
                        // While nobody is drawn, the phase before may know fewer pages than there are by now.
                        var weights = Weights.Parse(
                            phase is null ? row.GetString("weights") : row.GetString("phase_weights")
                        );
                        return (
                            Step: new StepId(row.GetInt64("step_id")),
                            Test: new RouteTest(
                                new(row.GetInt64("id")),
                                phase,
                                [.. own.Select(page => page.Page)],
                                weights,
                                0
                            )
                            {
                                From = row.Time("started_at"),
                                Until = row.TimeOrNull("ends_at") ?? DateTimeOffset.MaxValue,
                                Allocation = StoredAllocation.Parse(row.GetString("turns")),
                                Share = row.GetInt32("share"),
                                Audience = _audiences.Get(row.GetString("audience")),
                                Others = row.NumberOrNull("others_id") is { } others ? pages[new(others)] : null,
                                Resting = Set(own.Where(page => page.Rests)),
                                ClosedToAffiliates = Set(own.Where(page => page.Closed)),
                            }
                        );
                    },
                    from,
                    to
                )
                .ToDictionary(row => row.Step, row => row.Test);

            static IReadOnlySet<PageId> Set(IEnumerable<(long, RoutePage Page, bool, bool)> of) =>
                of.Select(page => page.Page.Id).ToHashSet();

            var ties = c.Rows(
                    """
                    SELECT t.step_id, s.tag, t.page_id
                    FROM source_ties t JOIN sources s ON s.id = t.source_id
                    WHERE s.funnel_id BETWEEN $1 AND $2
                    """,
                    row =>
                        (Step: new StepId(row.GetInt64(0)), Tag: row.GetString(1), Page: pages[new(row.GetInt64(2))]),
                    from,
                    to
                )
                .GroupBy(tie => tie.Step)
                .ToDictionary(
                    group => group.Key,
                    group => (IReadOnlyDictionary<string, RoutePage>)group.ToDictionary(tie => tie.Tag, tie => tie.Page)
                );
            var affiliates = c.Rows(
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

            var networks = c.Rows(
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

            var steps = funnels
                .SelectMany(funnel =>
                {
                    var inOrder = funnel.ToArray();
                    return inOrder.Select(step => new RouteStep(
                        step.Id,
                        step.Slug,
                        step.Page is { } page ? pages[page] : null,
                        tests.GetValueOrDefault(step.Id),
                        FunnelPath.Yes(inOrder, step)?.Slug,
                        FunnelPath.No(inOrder, step)?.Slug,
                        step.IsArchived ? step.Forward : null
                    )
                    {
                        Funnel = step.Funnel,
                        Carries = step.Carries,
                        StartsOnPage = step.StartsOnPage,
                        Redirects = step.Redirects,
                        Tied = ties.GetValueOrDefault(step.Id, FrozenDictionary<string, RoutePage>.Empty),
                        Networks = networks.GetValueOrDefault(
                            step.Funnel,
                            FrozenDictionary<string, RouteNetwork>.Empty
                        ),
                        Affiliates = affiliates.GetValueOrDefault(step.Funnel, FrozenSet<string>.Empty),
                    });
                })
                .ToArray();
            var goals = c.Rows(
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
            return new RouteTable(steps, pages.Values)
            {
                Goals = goals,
                HeedsPrivacyControl =
                    c.Text("SELECT value FROM settings WHERE name = $1", SettingStore.PrivacyName) != "no",
                PassThrough = c.Text("SELECT value FROM settings WHERE name = $1", SettingStore.MappingName)
                    is { } mapping
                    ? HookMapping.Parse(mapping).PassThrough
                    : "",
                AffiliateParameter = c.Text("SELECT value FROM settings WHERE name = $1", SettingStore.AffiliateName)
                    ?? RouteTable.DefaultAffiliateParameter,
            };
        });

    /// <summary>
    /// What the pages of each step of a funnel have in common: the step's link, and where the funnel takes money.
    /// </summary>
    private static IEnumerable<(StepId, (string Link, string[] Tills, string Key))> Wirings(
        Step[] funnel,
        Func<Step, IEnumerable<Uri?>> addresses
    )
    {
        var tills = Tills(funnel, addresses).ToArray();
        foreach (var step in funnel)
        {
            var own = step.Kind == StepKind.Checkout ? [] : tills;
            yield return (step.Id, (step.Slug, own, string.Join('\n', [step.Slug, .. own])));
        }
    }

    /// <summary>The addresses where a funnel takes money.</summary>
    public static IEnumerable<string> Tills(IEnumerable<Step> steps, Func<Step, IEnumerable<Uri?>> addresses) =>
        steps
            .Where(step => step.Kind == StepKind.Checkout)
            .SelectMany(step =>
                addresses(step)
                    .Where(address => address is not null)
                    .Select(address => AddressKey.For(address!.AbsoluteUri))
                    .Prepend($"/go/{step.Slug}")
            );

    /// <summary>What was read from a text, kept for the next table; loading is under a lock.</summary>
    private sealed class Kept<T>(Func<string, T> read)
    {
        private const int MaxCount = 100_000;
        private readonly Dictionary<string, T> _known = new(StringComparer.Ordinal);

        public T Get(string text)
        {
            if (_known.TryGetValue(text, out var value))
                return value;
            if (_known.Count >= MaxCount)
                _known.Clear();
            return _known[text] = read(text);
        }
    }
}
