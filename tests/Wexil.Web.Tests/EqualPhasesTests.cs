using System.Net.Http.Json;
using System.Text.Json;
using Wexil.Core.SplitTests;
using Wexil.Store;

namespace Wexil.Web.Tests;

/// <summary>Wherever a rate is not that of the counts beside it, it is explained in place, and alike.</summary>
public sealed class EqualPhasesTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    [Fact]
    public async Task A_rate_with_equal_phases_is_explained_beside_the_counts_and_handed_out_with_that_of_the_totals()
    {
        var tested = await wexil.StartTestAsync("phased");
        await Crowd.ComeAsync(wexil, tested, each: 400, conversionsA: 120, conversionsB: 140);
        wexil.Time.Advance(TimeSpan.FromHours(1));
        await wexil.Get<TestStore>().ChangeWeightsAsync(tested.Test, Weights.Create(25, 75));
        await Crowd.ComeAsync(wexil, tested, each: 200, conversionsA: 20, conversionsB: 70, alsoB: 400);
        await wexil.Host.Journal.WhenProjectedAsync();

        // A: 140 of 600; of 1,600 visitors 800 came in either phase, with 30% and 10%.
        const string ofA = "23.3% in total, 20.0% with equal phases";
        using var owner = await wexil.OwnerAsync();
        var step = $"/f/{tested.Funnel.Slug}/phased";
        var count = WexilFixture.Read(await owner.GetStringAsync($"{step}/count"));
        Assert.Contains(ofA, count, StringComparison.Ordinal);
        Assert.Contains("so the rates here give each phase the same weight", count, StringComparison.Ordinal);
        Assert.Contains("These are totals over all its phases", count, StringComparison.Ordinal);
        var keep = WexilFixture.Read(await owner.GetStringAsync($"{step}/keep"));
        Assert.Matches($"140 of\\s+600 visitors, {ofA}", keep);

        var json = await owner.GetFromJsonAsync<JsonElement>($"{step}/count/results.json");
        var a = json.GetProperty("pages")[0];
        Assert.Equal(0.2, a.GetProperty("rate").GetDouble(), 1e-9);
        Assert.Equal(140 / 600.0, a.GetProperty("rateInTotal").GetDouble(), 1e-9);
        var csv = (await owner.GetStringAsync($"{step}/count/results.csv")).Split('\n');
        Assert.EndsWith(",rate,rate_in_total,rate_with_equal_phases", csv[0].Trim(), StringComparison.Ordinal);
        Assert.EndsWith(",0.3,0.23333333333333334,0.2", csv[1].Trim(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task One_phase_needs_no_explanation()
    {
        var tested = await wexil.StartTestAsync("one-phase");
        await Crowd.ComeAsync(wexil, tested, each: 400, conversionsA: 120, conversionsB: 140);
        await wexil.Host.Journal.WhenProjectedAsync();
        using var owner = await wexil.OwnerAsync();
        var count = WexilFixture.Read(await owner.GetStringAsync($"/f/{tested.Funnel.Slug}/one-phase/count"));
        Assert.Contains("30.0%", count, StringComparison.Ordinal);
        Assert.DoesNotContain("equal phases", count, StringComparison.Ordinal);
        Assert.DoesNotContain("all its phases", count, StringComparison.Ordinal);
    }

    [Fact]
    public async Task The_confidence_that_is_handed_out_is_that_of_what_the_verdict_goes_by()
    {
        var tested = await wexil.StartTestAsync("by-money");
        await wexil
            .Get<TestStore>()
            .SetRuleAsync(tested.Test, KeepRule.Default with { OnMoney = true }, "By revenue per visitor");
        await Crowd.ComeAsync(wexil, tested, each: 1000, conversionsA: 100, conversionsB: 101, order: 4900);
        await wexil.Get<App.Monitoring.TestMonitor>().LookAsync();
        using var owner = await wexil.OwnerAsync();
        var json = await owner.GetFromJsonAsync<JsonElement>($"/f/{tested.Funnel.Slug}/by-money/count/results.json");
        Assert.Equal("revenue", json.GetProperty("judgedBy").GetString());
        var steps = wexil.Get<FunnelStore>().AllSteps();
        var reading = wexil.Get<App.Results.TestReader>().Read(wexil.Get<TestStore>().Find(tested.Test)!, steps);
        Assert.Equal(
            reading.Money!.Pages[1].AgainstControl!.Confidence,
            json.GetProperty("pages")[1].GetProperty("confidence").GetDouble()
        );
    }
}
