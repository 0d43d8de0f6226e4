using Wexil.Store;
using Wexil.Store.Backups;
using Wexil.Tests;

namespace Wexil.Browser.Tests;

/// <summary>What an owner finds after a backup was put back.</summary>
public sealed class RestoreTests
{
    private static readonly string[] Screens =
    [
        "/",
        "/f/balcony-harvest/calendar/count",
        "/f/balcony-harvest/kit/count?by=money",
        "/sales",
        "/people?tag=salad",
        "/tests",
        "/f/balcony-harvest/sources",
        "/team",
    ];

    [Fact]
    public async Task A_backup_of_a_running_Wexil_brings_the_same_figures_back()
    {
        var (folder, elsewhere) = (TemporaryFolder.Create("backup"), TemporaryFolder.Create("restored"));
        var file = Path.Combine(folder, "wexil.backup");
        Dictionary<string, string> before;
        await using (var site = await Site.StartDemoAsync())
        {
            Backup.Make(new DataPaths(site.Host.Options.Data), file, Now(site), "tomatoes in pots");
            before = Read(site);
        }
        using (var restored = DataFolder.Open(elsewhere))
            Restore.Run(file, restored, DateTimeOffset.UnixEpoch, "tomatoes in pots");
        await using (var site = await Site.StartAsync(elsewhere, followsClock: false))
        {
            var after = Read(site);
            foreach (var (screen, text) in before)
                Assert.Equal(text, after[screen]);
        }
        TemporaryFolder.Delete(folder);
    }

    private static DateTimeOffset Now(Site site) =>
        ((TimeProvider)site.Host.Services.GetService(typeof(TimeProvider))!).GetUtcNow();

    private static Dictionary<string, string> Read(Site site)
    {
        using var owner = new Browser();
        site.SignIn(owner);
        owner.WaitForText("Today");
        var seen = new Dictionary<string, string>();
        foreach (var screen in Screens)
        {
            owner.Open(site.Studio, screen);
            // The address of the visitors' side has another port each time.
            seen[screen] = owner.TextIn("main").Replace(site.Visitors.Authority, "visitors", StringComparison.Ordinal);
        }
        return seen;
    }
}
