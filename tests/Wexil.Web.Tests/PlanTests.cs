using System.Globalization;
using System.Text.RegularExpressions;
using Wexil.App.Monitoring;
using Wexil.App.Results;
using Wexil.Core.Results;
using Wexil.Store;

namespace Wexil.Web.Tests;

/// <summary>A test is judged by the plan it started with, and Count shows how far it is.</summary>
public sealed class PlanTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    [Fact]
    public async Task Count_says_how_far_the_plan_is_and_what_comes_after_it()
    {
        var tested = await wexil.StartTestAsync("planned");
        using var owner = await wexil.OwnerAsync();
        Task<string> CountAsync() => ReadAsync(owner, $"/f/{tested.Funnel.Slug}/planned/count");
        Assert.DoesNotContain("How far it is", await CountAsync(), StringComparison.Ordinal);
        await PassAsync(tested, 400, 80, 90);
        var early = await CountAsync();
        Assert.Contains("How far it is", early, StringComparison.Ordinal);
        Assert.Contains("of the plan is done: 800 of about", early, StringComparison.Ordinal);
        Assert.Contains("B has", early, StringComparison.Ordinal);
        Assert.Contains("Too early", early, StringComparison.Ordinal);

        // Near the end the plan, which is a rounded figure, is not named beside what has come.
        for (var i = 0; i < 2; i++)
            await PassAsync(tested, 400, 80, 90);
        Assert.Matches(@"of the plan is done: [\d,]+ of about [\d,]+ visitors\.", await CountAsync());
        var asked = Regex.Match(await CountAsync(), @"of about ([\d,]+) visitors").Groups[1].Value;
        Assert.Contains(
            $"About {asked} visitors in total are needed with this split.",
            await ReadAsync(owner, $"/f/{tested.Funnel.Slug}/planned/send"),
            StringComparison.Ordinal
        );
        while (Read(tested).Result.Pages.Min(page => page.AgainstControl?.Progress) < 0.96)
            await PassAsync(tested, 20, 4, 4);
        Assert.Matches(@"9[6-9]% of the plan is done: [\d,]+ visitors\.", await CountAsync());

        // Until nothing is left of the plan, and no page is surely better.
        await PassAsync(tested, 400, 80, 90);
        Assert.IsType<Verdict.PlanOver>(Read(tested).Verdict);
        var over = await CountAsync();
        Assert.Contains(
            "All planned visitors have come, and no page is surely better.",
            over,
            StringComparison.Ordinal
        );
        Assert.Contains("A lift of 20% would have shown in 4 of 5 such tests.", over, StringComparison.Ordinal);
        Assert.Matches(@"All planned visitors have come: [\d,]+;", over);
        // Less than has come, and the same on Send.
        var planned = Regex.Match(over, @"about ([\d,]+) were planned").Groups[1].Value;
        Assert.True(
            int.Parse(planned, NumberStyles.Number) < Read(tested).Result.Total.Visitors,
            $"{planned} of {Read(tested).Result.Total.Visitors}"
        );
        Assert.Contains(
            $"about {planned} were planned",
            await ReadAsync(owner, $"/f/{tested.Funnel.Slug}/planned/send"),
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task A_page_that_is_called_shows_what_is_to_be_expected_of_it()
    {
        var tested = await wexil.StartTestAsync("called");
        for (var i = 0; i < 20 && Read(tested).Verdict is not Verdict.Better; i++)
            await PassAsync(tested, 200, 40, 50);
        var better = Assert.IsType<Verdict.Better>(Read(tested).Verdict);
        Assert.InRange(better.Expected!.Value, better.Gain * 0.3, better.Gain * 0.97);
        using var owner = await wexil.OwnerAsync();
        var keep = await ReadAsync(owner, $"/f/{tested.Funnel.Slug}/called/keep");
        Assert.Contains("Expect about +", keep, StringComparison.Ordinal);
        await wexil.Get<VerdictRecorder>().KeepAsync(Read(tested), tested.B.Id, VerdictStore.ByHand);
        Assert.Contains("(expect +", await ReadAsync(owner, "/tests?show=Decided"), StringComparison.Ordinal);
    }

    private async Task PassAsync(TestedStep tested, int each, int conversionsA, int conversionsB)
    {
        wexil.Time.Advance(TimeSpan.FromHours(1));
        await Crowd.ComeAsync(wexil, tested, each, conversionsA, conversionsB);
        await wexil.Get<TestMonitor>().LookAsync();
    }

    private TestReading Read(TestedStep tested) =>
        wexil
            .Get<TestReader>()
            .Read(wexil.Get<TestStore>().Find(tested.Test)!, wexil.Get<FunnelStore>().Steps(tested.Funnel.Id));

    private static async Task<string> ReadAsync(HttpClient owner, string address) =>
        WexilFixture.Read(await owner.GetStringAsync(address));
}
