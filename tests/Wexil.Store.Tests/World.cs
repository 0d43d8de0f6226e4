using Microsoft.Extensions.Logging.Abstractions;
using Microsoft.Extensions.Time.Testing;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;
using Wexil.Tests;

namespace Wexil.Store.Tests;

/// <summary>
/// A store of its own in a folder of its own, with a clock that stands still: two steps, two pages on the first, one on
/// the second.
/// </summary>
internal sealed class World : IDisposable
{
    private readonly bool _isOwn;

    public World(string? folder = null, JournalOptions? options = null)
    {
        _isOwn = folder is null;
        Path = folder ?? EmptyStore.Create("store");
        Folder = DataFolder.Open(Path);
        Database = Database.Open(Folder);
        Journal = new(Database, Folder.SpillFile, options);
        Funnels = new(Database, Journal, Time);
        Pages = new(Database, Journal, Time);
        Tests = new(Database, Journal, Time);
        Verdicts = new(Database, Journal, Time);
        Tallies = new(Database, Time);
        Routes = new(Database);
        Drafts = new(Database, Journal);
        Assets = new(Database, Journal);
        Sales = new(Database, Journal, new(NullLogger<TroubleLog>.Instance, Time));
        Goals = new(Database, Journal, Time);
        People = new(Database, Journal, Time);
    }

    public string Path { get; }
    public DataFolder Folder { get; }
    public Database Database { get; }
    public Journal Journal { get; }
    public SeededChance Chance { get; } = new(11);
    public FakeTimeProvider Time { get; } = new(new DateTimeOffset(2026, 11, 9, 8, 0, 0, TimeSpan.Zero));
    public FunnelStore Funnels { get; }
    public PageStore Pages { get; }
    public TestStore Tests { get; }
    public VerdictStore Verdicts { get; }
    public TallyStore Tallies { get; }
    public RouteStore Routes { get; }
    public DraftStore Drafts { get; }
    public AssetStore Assets { get; }
    public SaleStore Sales { get; }
    public GoalStore Goals { get; }
    public PeopleStore People { get; }

    public async Task<SplitTest> StartTestAsync() =>
        Tests.Find((await Tests.StartAsync(await PlanTestAsync()))!.Value)!;

    public async Task<TestPlan> PlanTestAsync()
    {
        var funnel = await Funnels.CreateAsync("Balcony Harvest");
        var optIn = (await Funnels.AddStepAsync(funnel.Id, StepKind.OptIn, "Planting calendar", "calendar"))!;
        var thanks = (await Funnels.AddStepAsync(funnel.Id, StepKind.ThankYou, "Check your inbox", "inbox"))!;
        var bundle = new PageBundle([new("index.html", "<h1>x"u8.ToArray())], "index.html");
        var a = await Pages.AddAsync(optIn.Id, "Calendar", bundle);
        var b = await Pages.CloneAsync(Pages.Find(a)!, "First salad");
        await Pages.AddAsync(thanks.Id, "Thanks", bundle);
        return new(optIn.Id, thanks.Id, "Headline", "", 0.1, 0.2, [a, b], Weights.Create(50, 50));
    }

    /// <summary>A new visitor of the test's step, enrolled on one of its pages.</summary>
    public JournalEvent Enrols(SplitTest test, int page) =>
        new(
            Guid.CreateVersion7(),
            Time.GetUtcNow(),
            EventKind.Enrol,
            VisitorId.New(Time.GetUtcNow(), Chance),
            test.Step,
            test.Pages[page],
            test.Id,
            Tests.Phases(test.Id)[^1].Id
        );

    public JournalEvent Reaches(SplitTest test, VisitorId visitor) =>
        new(Guid.CreateVersion7(), Time.GetUtcNow(), EventKind.Visit, visitor, test.Goal, new(3));

    /// <summary>Every tally and lead as text, to be compared before and after.</summary>
    public string Tables() =>
        Database.Read(connection =>
            string.Join(
                '\n',
                ProjectedTables.All.SelectMany(table =>
                {
                    using var command = connection.CreateCommand();
                    command.CommandText = $"SELECT * FROM {table}";
                    using var row = command.ExecuteReader();
                    var lines = new List<string>();
                    while (row.Read())
                    {
                        var values = new object[row.FieldCount];
                        row.GetValues(values);
                        lines.Add(
                            table
                                + ": "
                                + string.Join(
                                    '|',
                                    values.Select(value =>
                                        value is byte[] bytes ? Convert.ToHexString(bytes) : value.ToString()
                                    )
                                )
                        );
                    }
                    return lines.Order(StringComparer.Ordinal);
                })
            )
        );

    public long Events() =>
        Database.Read(connection =>
        {
            using var command = connection.CreateCommand();
            command.CommandText = "SELECT count(*) FROM events";
            return (long)command.ExecuteScalar()!;
        });

    public void Dispose()
    {
        Journal.Dispose();
        Database.Dispose();
        Folder.Dispose();
        if (_isOwn)
            TemporaryFolder.Delete(Path);
    }
}
