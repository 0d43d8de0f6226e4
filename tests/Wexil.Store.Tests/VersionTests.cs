using System.IO.Compression;
using Wexil.Core.Common;
using Wexil.Core.Statistics;
using Wexil.Store.Team;
using Wexil.Tests;

namespace Wexil.Store.Tests;

/// <summary>
/// A data file of every earlier version, made once by the program of its time (Versions/README.md says how), comes up
/// to date with its figures unchanged.
/// </summary>
public sealed class VersionTests
{
    private static readonly string Folder = Path.Combine(AppContext.BaseDirectory, "Versions");

    public static TheoryData<int> Versions =>
        [.. Directory.EnumerateFiles(Folder, "*.db.gz").Select(file => int.Parse(Path.GetFileName(file)[..4])).Order()];

    [Theory]
    [MemberData(nameof(Versions))]
    public async Task A_data_file_of_an_earlier_version_comes_up_to_date_with_its_figures_unchanged(int version)
    {
        var path = TemporaryFolder.Create("version");
        await using (
            var packed = new GZipStream(
                File.OpenRead(Path.Combine(Folder, $"{version:0000}.db.gz")),
                CompressionMode.Decompress
            )
        )
        await using (var file = File.Create(Path.Combine(path, "wexil.db")))
            await packed.CopyToAsync(file);
        var old = await File.ReadAllBytesAsync(Path.Combine(path, "wexil.db"));
        using var world = new World(path);
        // As it was, it is kept, so that the earlier program can go on with it.
        var kept = Assert.Single(Directory.GetFiles(world.Folder.BeforeUpgrades));
        Assert.Equal(old.Length, new FileInfo(kept).Length);
        Assert.Equal(Path.Combine(world.Folder.BeforeUpgrades, $"version-{version:0000}.db"), kept);
        await world.Journal.WhenProjectedAsync();
        Holds(world, version);
        var owner = Assert.Single(new TeamStore(world.Database, world.Journal, world.Time).All);
        Assert.Equal((Role.Owner, version >= 26 ? "hash of a password" : null), (owner.Role, owner.PasswordHash));
        var orders = Orders(world);
        await world.Journal.RecountAsync();
        await world.Journal.WhenProjectedAsync();
        Holds(world, version);
        Assert.Equal(orders, Orders(world));
    }

    // Of a version before 5 there are none.
    private static IEnumerable<string> Orders(World world) =>
        world.Tables().Split('\n').Where(row => row.StartsWith("order", StringComparison.Ordinal));

    [Fact]
    public void There_is_a_file_of_every_version_that_was_ever_committed() =>
        // Versions 9 to 11 came with 12.
        Assert.Equal(
            [1, 2, 3, 4, 5, 6, 7, 8, 12, 13, 14, 15, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 28, 29, 30],
            Directory.EnumerateFiles(Folder, "*.db.gz").Select(file => int.Parse(Path.GetFileName(file)[..4])).Order()
        );

    private static void Holds(World world, int version)
    {
        var test = Assert.Single(world.Tests.Open());
        // It ends by the rule it began with.
        Assert.False(test.IsPlanned);
        Assert.Equal(["Calendar", "First salad"], test.Pages.Select(page => world.Pages.Find(page)!.Name));
        var phases = world.Tests.Phases(test.Id);
        Assert.Equal(["50/50", "20/80"], phases.Take(2).Select(phase => phase.Weights.ToString()));
        Assert.Equal("Verdict taken back", phases[^1].Reason);
        var counted = world.Tallies.Phases(test, phases).Select(phase => phase.Arms).ToArray();
        Assert.Equal([new Arm(10, 4), new Arm(10, 3)], counted[0]);
        Assert.Equal(new Arm(2, 1), counted[1][0]);
        Assert.Equal([new Arm(1, 1), new Arm(0, 0)], counted[^1]);
        var knowsGoals = version >= 6;
        Assert.Equal(
            [new Arm(13, 6), new Arm(knowsGoals ? 19 : 18, 5)],
            test.Pages.Select((_, page) => counted.Aggregate(new Arm(), (sum, arms) => sum + arms[page]))
        );
        Assert.Equal(
            [(13L, 6L), (knowsGoals ? 19 : 18, 5)],
            test.Pages.Select(page => world.Tallies.PageBuckets(test.Id).Where(bucket => bucket.Page == page))
                .Select(buckets =>
                    (buckets.Sum(bucket => bucket.Arm.Visitors), buckets.Sum(bucket => bucket.Arm.Conversions))
                )
        );
        Assert.Equal(knowsGoals ? 33 : 32, world.Tallies.StepVisitors()[test.Step]);
        Assert.Equal(13, world.Tallies.StepVisitors()[test.Goal]);
        Assert.NotNull(world.Sales.VisitorOf("ann@larkrow.example"));
        Assert.NotNull(Assert.Single(world.Verdicts.ForStep(test.Step)).TakenBackAt);
        if (version >= 5)
        {
            Assert.Equal(
                [4900.0, 2700],
                world.Tallies.Money(test, Currency.Find("USD")!).Select(page => page.Revenue.Sum)
            );
            Assert.Equal(
                [(1L, 1L), (2, 2)],
                world.Tallies.Money(test, Currency.Find("USD")!).Select(page => (page.Buyers, page.Orders))
            );
            Assert.Equal(
                [3000.0, 0],
                world.Tallies.Money(test, Currency.Find("EUR")!).Select(page => page.Revenue.Sum)
            );
            Assert.Equal(
                [4900L, 2700],
                test.Pages.Select(page =>
                    world.Tallies.PageBuckets(test.Id).Where(bucket => bucket.Page == page).Sum(bucket => bucket.Earned)
                )
            );
            var always = new LedgerFilter(DateTimeOffset.UnixEpoch, DateTimeOffset.MaxValue);
            Assert.Equal(
                [("USD", 1L, 4900L), ("EUR", 1, 3000), ("USD", 2, 2700)],
                world.Sales.Sums(always, LedgerBy.Test).Select(sum => (sum.Currency, sum.Orders, sum.Net))
            );
            Assert.Equal(
                [(SourceStore.Unnamed, 7600L), (SourceStore.Unnamed, 3000)],
                world.Sales.Sums(always, LedgerBy.Source).Select(sum => (sum.Name, sum.Net))
            );
        }
        if (!knowsGoals)
            return;
        var met = Assert.Single(world.Tallies.Goals(test.Id));
        Assert.Equal((test.Pages[1], 1L, 250L), (met.Page, met.Visitors, met.Value));
        var stay = Assert.Single(world.Tallies.Stays(test.Id));
        Assert.Equal((test.Pages[1], 5000.0), (stay.Page, stay.Time.TotalMilliseconds));
    }
}
