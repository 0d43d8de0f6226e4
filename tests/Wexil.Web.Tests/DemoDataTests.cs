using Wexil.Demo;
using Wexil.Store;
using Wexil.Tests;

namespace Wexil.Web.Tests;

public sealed class DemoDataTests
{
    private readonly string _folder = TemporaryFolder.Create("demo");

    [Fact]
    public void Starting_over_empties_what_the_demo_made_and_nothing_else()
    {
        DemoData.Mark(_folder);
        Make("wexil.db", "wexil.db-wal", "notes.txt");
        DemoData.Clear(_folder);
        Assert.Empty(Directory.EnumerateFiles(_folder, "wexil.db*"));
        Assert.True(File.Exists(Path.Combine(_folder, "notes.txt")));
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void After_starting_over_and_after_an_interrupted_start_a_new_demo_finds_room(bool isFinished)
    {
        DemoData.Mark(_folder);
        Assert.True(DemoData.IsUnfinished(_folder));
        Make("wexil.db");
        using (var running = DataFolder.Open(_folder))
            running.TakeReserve();
        if (isFinished)
            DemoData.Finish(_folder);
        Assert.Equal(!isFinished, DemoData.IsUnfinished(_folder));
        DemoData.Clear(_folder);
        using var again = DataFolder.Open(_folder);
        again.CheckDataIsThere();
    }

    // A test that ends then would be credited with what it is not credited with when everything is counted again.
    [Fact]
    public async Task Made_up_visitors_do_nothing_after_the_moment_until_which_they_come()
    {
        await using var fresh = new FreshWexil();
        await fresh.InitializeAsync();
        var wexil = fresh.Wexil;
        var tested = await wexil.StartTestAsync("made-up");
        var from = wexil.Time.GetUtcNow();
        var until = from.AddHours(1);
        var visitors = new DemoVisitors(wexil.Host, from.AddDays(1), _ => { });
        visitors.Come(tested.Step, from, until, 4_800, [(tested.A.Id, 1), (tested.B.Id, 1)], [(tested.Thanks, 1)]);
        await visitors.RecordedAsync();
        var (came, converted) = await wexil.CountedAsync(tested.Test);
        Assert.InRange(converted, came / 2, came - 1);
        var last = wexil.Host.Database.Read(c =>
        {
            using var command = c.CreateCommand();
            command.CommandText = "SELECT max(at) FROM events";
            return (long)command.ExecuteScalar()!;
        });
        Assert.InRange(last, from.ToUnixTimeMilliseconds(), until.ToUnixTimeMilliseconds() - 1);
    }

    [Fact]
    public void Its_folder_is_closed_to_others()
    {
        var folder = Path.Combine(_folder, "new");
        DemoData.Mark(folder);
        Assert.Equal(
            UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute,
            File.GetUnixFileMode(folder)
        );
    }

    [Fact]
    public void Somebodys_real_data_is_never_touched()
    {
        Make("wexil.db");
        DemoData.Mark(_folder);
        Assert.Contains(
            "was not made by the demo",
            Assert.Throws<StoreException>(() => DemoData.Clear(_folder)).Message
        );
        Assert.True(File.Exists(Path.Combine(_folder, "wexil.db")));
    }

    [Fact]
    public void A_demo_that_runs_is_not_emptied_under_its_feet()
    {
        DemoData.Mark(_folder);
        Make("wexil.db");
        using var running = DataFolder.Open(_folder);
        Assert.Contains("in use", Assert.Throws<StoreException>(() => DemoData.Clear(_folder)).Message);
        Assert.True(File.Exists(Path.Combine(_folder, "wexil.db")));
    }

    private void Make(params string[] names)
    {
        foreach (var name in names)
            File.WriteAllText(Path.Combine(_folder, name), "");
    }
}
