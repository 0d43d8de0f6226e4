using Microsoft.Data.Sqlite;
using Wexil.Core.AdNetworks;
using Wexil.Core.Common;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>What kind of traffic a source sends; the names are stored.</summary>
public enum SourceKind
{
    /// <summary>An ad.</summary>
    Ad,

    /// <summary>An e-mail or a letter.</summary>
    Letter,

    /// <summary>Somebody who recommends for a share.</summary>
    Affiliate,

    /// <summary>A post, a video, a forum.</summary>
    Post,

    /// <summary>Anything else.</summary>
    Other,
}

/// <summary>Where visitors of a funnel come from.</summary>
/// <param name="Tag">What stands in its links.</param>
/// <param name="ClickCost">What a click costs, in the owner's currency's smallest unit; null when costs come by the day
/// or there are none.</param>
/// <param name="IsDeclared">The owner made it known; else its tag was met in a link.</param>
/// <param name="Ties">The one page that its visitors see, by step.</param>
public sealed record Source(
    SourceId Id,
    FunnelId Funnel,
    string Tag,
    string Name,
    SourceKind Kind,
    long? ClickCost,
    bool IsDeclared,
    IReadOnlyDictionary<StepId, PageId> Ties
);

/// <summary>How an ad network names its clicks in links, and how it is told what became of them.</summary>
/// <param name="Cost">Where the links say what a click costs; null where they do not.</param>
/// <param name="MostAClick">A higher cost is not believed; in millionths of a unit of the owner's currency.</param>
/// <param name="Postback">Null where it is told nothing.</param>
public sealed record Network(
    LinkPart Click,
    LinkPart? Cost,
    long MostAClick,
    PostbackAddress? Postback,
    bool TellsOptIns,
    bool TellsSales
);

/// <summary>
/// What a source brought. Opt-ins, sales and orders are those of the visitors whose first source it was.
/// </summary>
/// <param name="Sales">Visitors who reached the step behind the checkout.</param>
/// <param name="Orders">Orders told by the till, and what they brought in the owner's currency.</param>
/// <param name="Source">Null for visitors whose links named none, and for tags past the number that is kept
/// apart.</param>
/// <param name="Spent">In the owner's currency's smallest unit; null where no costs are known.</param>
/// <param name="CostsAClick">A click costs something, as the owner set it or the links say.</param>
/// <param name="CostsByDay">Costs by the day are known; where a click costs something too, both are in what was
/// spent.</param>
public sealed record SourceLine(
    Source? Source,
    string Name,
    long Clicks,
    long Visitors,
    long OptIns,
    long Sales,
    long Orders,
    long Earned,
    long? Spent,
    bool CostsAClick,
    bool CostsByDay
);

/// <summary>What a source cost on a day.</summary>
public sealed record DayCost(SourceId Source, DateOnly Day, long Amount);

/// <summary>Sources, what they cost and what they brought.</summary>
public sealed class SourceStore(Database database, Journal journal, TimeProvider time)
{
    /// <summary>Stands for every tag past the number that is kept apart.</summary>
    public const long Rest = -1;

    /// <summary>What <see cref="Rest"/> is called.</summary>
    public const string OtherTags = "Other tags";

    /// <summary>What the source of visitors is called whose links named none.</summary>
    public const string Unnamed = "No source";

    private const decimal Millionths = 1_000_000;

    /// <summary>The sources of a funnel: those made known first.</summary>
    public IReadOnlyList<Source> ForFunnel(FunnelId funnel) =>
        database.Read(c =>
        {
            var ties = c.Rows(
                    """
                    SELECT t.source_id, t.step_id, t.page_id
                    FROM source_ties t JOIN sources s ON s.id = t.source_id
                    WHERE s.funnel_id = $1
                    """,
                    row =>
                        (Source: row.GetInt64(0), Step: new StepId(row.GetInt64(1)), Page: new PageId(row.GetInt64(2))),
                    funnel.Value
                )
                .ToLookup(tie => tie.Source);
            return c.Rows(
                """
                SELECT id, tag, name, kind, click_cost, declared
                FROM sources
                WHERE funnel_id = $1
                ORDER BY declared DESC, id
                """,
                row => new Source(
                    new(row.GetInt64(0)),
                    funnel,
                    row.GetString(1),
                    row.GetString(2),
                    Enum.Parse<SourceKind>(row.GetString(3)),
                    row.NumberOrNull(4),
                    row.GetBoolean(5),
                    ties[row.GetInt64(0)].ToDictionary(tie => tie.Step, tie => tie.Page)
                ),
                funnel.Value
            );
        });

    /// <summary>What each source of a funnel brought and cost; sources nobody came by yet are there too.</summary>
    public IReadOnlyList<SourceLine> Lines(FunnelId funnel, Currency currency)
    {
        var sources = ForFunnel(funnel);
        return database.Read(c =>
        {
            var tallies = Tallies(c, funnel);
            var costs = new SourceCosts(TellingNetworks(c, funnel), Spent(c, funnel), currency);
            var money = Money(c, funnel, currency);
            SourceLine Line(Source? source, long id, string name)
            {
                var (tally, earned) = (tallies.GetValueOrDefault(id), money.GetValueOrDefault(id));
                return new(
                    source,
                    name,
                    tally.Clicks,
                    tally.Visitors,
                    tally.OptIns,
                    tally.Sales,
                    earned.Orders,
                    earned.Earned,
                    costs.For(source, id, tally),
                    costs.ArePerClick(source, id, tally),
                    costs.AreByDay(id)
                );
            }
            List<SourceLine> lines = [.. sources.Select(source => Line(source, source.Id.Value, source.Name))];
            if (tallies.ContainsKey(Rest))
                lines.Add(Line(null, Rest, OtherTags));
            if (tallies.GetValueOrDefault(0).Visitors > 0)
                lines.Add(Line(null, 0, Unnamed));
            return lines;
        });
    }

    /// <param name="Cost">As the network told it, in millionths of the owner's currency.</param>
    private readonly record struct Tally(long Clicks, long Visitors, long OptIns, long Sales, long Cost);

    /// <param name="Telling">Sources whose network tells what a click cost.</param>
    /// <param name="Spent">What was typed or taken from a file, in the currency's smallest unit.</param>
    private sealed record SourceCosts(HashSet<long> Telling, Dictionary<long, long> Spent, Currency Currency)
    {
        public bool AreByDay(long id) => Spent.ContainsKey(id);

        public bool ArePerClick(Source? source, long id, Tally tally) =>
            source?.ClickCost is not null || Telling.Contains(id) || tally.Cost > 0;

        /// <summary>In the currency's smallest unit; null where nothing is known of it.</summary>
        public long? For(Source? source, long id, Tally tally)
        {
            long? cost = Spent.TryGetValue(id, out var days) ? days : null;
            if (source?.ClickCost is { } click)
                cost = (cost ?? 0) + click * tally.Clicks;
            if (ArePerClick(null, id, tally))
                cost = (cost ?? 0) + (long)Math.Round(tally.Cost * Currency.Unit / Millionths);
            return cost;
        }
    }

    private static Dictionary<long, Tally> Tallies(SqliteConnection c, FunnelId funnel) =>
        c.Rows(
                """
                SELECT source_id, clicks, visitors, opt_ins, sales, told_cost
                FROM source_tallies
                WHERE funnel_id = $1
                """,
                row =>
                    (
                        row.GetInt64(0),
                        new Tally(row.GetInt64(1), row.GetInt64(2), row.GetInt64(3), row.GetInt64(4), row.GetInt64(5))
                    ),
                funnel.Value
            )
            .ToDictionary();

    private static HashSet<long> TellingNetworks(SqliteConnection c, FunnelId funnel) =>
        c.Rows(
                """
                SELECT n.source_id
                FROM source_networks n JOIN sources s ON s.id = n.source_id
                WHERE s.funnel_id = $1 AND n.cost_part <> ''
                """,
                row => row.GetInt64(0),
                funnel.Value
            )
            .ToHashSet();

    private static Dictionary<long, long> Spent(SqliteConnection c, FunnelId funnel) =>
        c.Rows(
                """
                SELECT d.source_id, sum(d.amount)
                FROM source_costs d JOIN sources s ON s.id = d.source_id
                WHERE s.funnel_id = $1
                GROUP BY d.source_id
                """,
                row => (row.GetInt64(0), row.GetInt64(1)),
                funnel.Value
            )
            .ToDictionary();

    private static Dictionary<long, (long Orders, long Earned)> Money(
        SqliteConnection c,
        FunnelId funnel,
        Currency currency
    ) =>
        c.Rows(
                "SELECT source_id, orders, earned FROM source_money WHERE funnel_id = $1 AND currency = $2",
                row => (row.GetInt64(0), (Orders: row.GetInt64(1), Earned: row.GetInt64(2))),
                funnel.Value,
                currency.Code
            )
            .ToDictionary();

    /// <summary>Makes a source known, or changes it. False when another one has the tag.</summary>
    /// <param name="id">Null for a new one; one whose tag was met before becomes known with all that it
    /// brought.</param>
    public Task<bool> SaveAsync(
        FunnelId funnel,
        SourceId? id,
        string tag,
        string name,
        SourceKind kind,
        long? clickCost,
        IReadOnlyDictionary<StepId, PageId> ties
    ) =>
        journal.WriteAsync(c =>
        {
            var holder = c.Number(
                "SELECT id FROM sources WHERE funnel_id = $1 AND tag = $2 AND (declared OR id = $3)",
                funnel.Value,
                tag,
                id?.Value ?? 0
            );
            if (holder is not null && holder != id?.Value)
                return false;
            var source = id?.Value
                ?? c.Number("SELECT id FROM sources WHERE funnel_id = $1 AND tag = $2", funnel.Value, tag)
                ?? c.Insert(
                    "INSERT INTO sources (funnel_id, tag, name, kind, declared) VALUES ($1, $2, $3, $4, 1)",
                    funnel.Value,
                    tag,
                    name,
                    kind.ToString()
                );
            c.Execute(
                "UPDATE sources SET name = $2, kind = $3, click_cost = $4, declared = 1 WHERE id = $1",
                source,
                name,
                kind.ToString(),
                clickCost
            );
            c.Execute("DELETE FROM source_ties WHERE source_id = $1", source);
            foreach (var (step, page) in ties)
                c.Execute("INSERT INTO source_ties VALUES ($1, $2, $3)", source, step.Value, page.Value);
            return true;
        });

    /// <summary>The ad network that a source is; null for other sources.</summary>
    public Network? Network(SourceId source) =>
        database.Read(c =>
            c.Rows(
                    """
                    SELECT click_part, cost_part, most_a_click, postback, tells_opt_ins, tells_sales
                    FROM source_networks
                    WHERE source_id = $1
                    """,
                    row => new Network(
                        LinkPart.Parse(row.GetString(0))!.Value,
                        LinkPart.Parse(row.GetString(1)),
                        row.GetInt64(2),
                        PostbackAddress.Read(row.GetString(3)).Address,
                        row.GetBoolean(4),
                        row.GetBoolean(5)
                    ),
                    source.Value
                )
                .SingleOrDefault()
        );

    /// <summary>
    /// Makes a source an ad network, changes it, or makes it none. It is told of what happens from now on.
    /// </summary>
    public Task SetNetworkAsync(SourceId source, Network? network) =>
        journal.WriteAsync(c =>
        {
            if (network is null)
                c.Execute("DELETE FROM source_networks WHERE source_id = $1", source.Value);
            else
                c.Execute(
                    """
                    INSERT INTO source_networks VALUES ($1, $2, $3, $4, $5, $6, $7, $8) ON CONFLICT DO UPDATE
                      SET click_part = excluded.click_part, cost_part = excluded.cost_part,
                      most_a_click = excluded.most_a_click, postback = excluded.postback,
                        tells_opt_ins = excluded.tells_opt_ins, tells_sales = excluded.tells_sales,
                      since = CASE WHEN postback = '' THEN excluded.since ELSE since END
                    """,
                    source.Value,
                    network.Click.ToString(),
                    network.Cost?.ToString() ?? "",
                    network.MostAClick,
                    network.Postback?.Template ?? "",
                    network.TellsOptIns ? 1 : 0,
                    network.TellsSales ? 1 : 0,
                    time.GetUtcNow().ToUnixTimeMilliseconds()
                );
        });

    /// <summary>The costs known of some days, to tell what a file would change.</summary>
    public IReadOnlyDictionary<(SourceId Source, DateOnly Day), long> Costs(FunnelId funnel) =>
        database.Read(c =>
            c.Rows(
                    """
                    SELECT d.source_id, d.day, d.amount
                    FROM source_costs d JOIN sources s ON s.id = d.source_id
                    WHERE s.funnel_id = $1
                    """,
                    row =>
                        (
                            (new SourceId(row.GetInt64(0)), DateOnly.ParseExact(row.GetString(1), "yyyy-MM-dd")),
                            row.GetInt64(2)
                        ),
                    funnel.Value
                )
                .ToDictionary()
        );

    /// <summary>
    /// Takes in what sources cost a day; a day that is known already is written anew, so the same again changes
    /// nothing.
    /// </summary>
    public Task SetCostsAsync(IReadOnlyList<DayCost> costs) =>
        journal.WriteAsync(c =>
        {
            foreach (var cost in costs)
                c.Execute(
                    "INSERT INTO source_costs VALUES ($1, $2, $3) ON CONFLICT DO UPDATE SET amount = excluded.amount",
                    cost.Source.Value,
                    cost.Day.ToString("yyyy-MM-dd"),
                    cost.Amount
                );
        });
}
