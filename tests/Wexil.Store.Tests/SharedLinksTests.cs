namespace Wexil.Store.Tests;

public sealed class SharedLinksTests
{
    [Fact]
    public async Task A_link_opens_its_own_until_it_is_over_or_withdrawn_and_its_token_is_kept_nowhere()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var links = world.Tests.Reports;
        var (first, second) = (await links.MakeAsync(test.Id.Value), await links.MakeAsync(test.Id.Value));
        Assert.NotEqual(first, second);
        Assert.Equal(test.Id.Value, links.Open(first));
        Assert.Null(links.Open(first[..^1]));
        Assert.Null(links.Open(""));
        // Only who has the test may withdraw its links.
        await links.WithdrawAsync(test.Id.Value + 1, links.For(test.Id.Value)[0].Id);
        Assert.Equal(2, links.For(test.Id.Value).Count);
        await links.WithdrawAsync(test.Id.Value, links.For(test.Id.Value)[0].Id);
        Assert.Null(links.Open(first));
        world.Time.Advance(links.Lasts - TimeSpan.FromSeconds(1));
        Assert.Equal(test.Id.Value, links.Open(second));
        world.Time.Advance(TimeSpan.FromSeconds(2));
        Assert.Null(links.Open(second));
        Assert.Empty(links.For(test.Id.Value));
        world.Journal.Dispose();
        Assert.DoesNotContain(
            second,
            System.Text.Encoding.Latin1.GetString(File.ReadAllBytes(world.Folder.DataFile)),
            StringComparison.Ordinal
        );
    }
}
