using System.Globalization;
using System.Net;
using Wexil.App.Monitoring;
using Wexil.App.Outbox;
using Wexil.App.Results;
using Wexil.App.Visits;
using Wexil.Core.SplitTests;
using Wexil.Store;

namespace Wexil.Web.Tests;

/// <summary>What the program does by itself as the hours pass.</summary>
public sealed class LookoutTests
{
    [Fact]
    public async Task A_rule_keeps_the_better_page_once_its_days_are_over_and_the_owner_is_told_once()
    {
        await using var fresh = new FreshWexil();
        await fresh.InitializeAsync();
        var wexil = fresh.Wexil;
        using var owner = await wexil.OwnerAsync();
        var tested = await wexil.StartTestAsync("ruled");
        await wexil.Get<SettingStore>().SetOwnerMailAsync("owner@larkrow.example");
        var keep = $"/f/{tested.Funnel.Slug}/ruled/keep";
        var refused = await (
            await WexilFixture.PostAsync(
                owner,
                keep,
                "Rule",
                ("Rule.By", "Sure"),
                ("Rule.Sureness", "99.99"),
                ("Rule.Conversions", "10"),
                ("Rule.Days", "0"),
                ("Rule.Latest", "2000-01-01")
            )
        ).Content.ReadAsStringAsync();
        Assert.Equal(["Rule.Sureness", "Rule.Conversions", "Rule.Days", "Rule.Latest"], Refusals.Of(refused));
        Assert.Contains("value=\"99.99\"", refused);
        await WexilFixture.PostAsync(
            owner,
            keep,
            "Rule",
            ("Rule.By", "Sure"),
            ("Rule.Sureness", "95"),
            ("Rule.Conversions", "100"),
            ("Rule.Days", "7")
        );
        Assert.Equal(new KeepRule(KeepBy.Sure) { Days = 7 }, wexil.Get<TestStore>().Find(tested.Test)!.Rule);

        await Crowd.ComeAsync(wexil, tested, 2000, 200, 300);
        var lookout = wexil.Get<TestMonitor>();
        await lookout.LookAsync();
        Assert.True(wexil.Get<TestStore>().Find(tested.Test)!.IsOpen);
        Assert.Contains("At least 7 more days to run.", await owner.GetStringAsync(keep));
        // The program was off meanwhile; the first look after it does what is due.
        wexil.Time.Advance(TimeSpan.FromDays(7));
        await lookout.LookAsync();
        var verdict = Assert.Single(wexil.Get<VerdictStore>().ForStep(tested.Step.Id));
        Assert.Equal((tested.B.Id, VerdictStore.ByRule), (verdict.Page, verdict.KeptBy));
        Assert.Equal(tested.B.Id, wexil.Get<Routes>().Current.Step("ruled")!.Page!.Id);
        Assert.Contains(wexil.Get<TestStore>().Changes(tested.Test), change => change.Who == VerdictStore.ByRule);
        await lookout.LookAsync();
        Assert.Equal(["Kept: ruled b", "Ready: ruled", "Started: ruled"], await MailsAsync(wexil));
        Assert.All(wexil.Get<MailSender>().Simulated(), letter =>
            Assert.Contains("Test “ruled”, step “ruled”, funnel “ruled”.", letter.Words, StringComparison.Ordinal)
        );
    }

    [Theory]
    [InlineData(null, "Everyone sees it from now on.")]
    [InlineData(10, "90% of the visitors see it from now on; for 4 weeks, 10% go on seeing “kept-so a”")]
    public async Task A_mail_says_who_sees_a_page_that_the_rule_kept(int? share, string words)
    {
        await using var fresh = new FreshWexil();
        await fresh.InitializeAsync();
        var wexil = fresh.Wexil;
        var tested = await wexil.StartTestAsync("kept-so");
        await wexil.Get<SettingStore>().SetOwnerMailAsync("owner@larkrow.example");
        CheckPlan? check = share is { } checkedShare ? new(checkedShare, 4, TakesBack: true) : null;
        await wexil
            .Get<TestStore>()
            .SetRuleAsync(tested.Test, new KeepRule(KeepBy.Visitors) { Visitors = 400, Check = check }, "400 visitors");
        await Crowd.ComeAsync(wexil, tested, 300, 30, 60);
        await wexil.Get<TestMonitor>().LookAsync();
        await wexil.Get<OutboxDelivery>().SendDueAsync(default);
        var kept = wexil.Get<MailSender>().Simulated().Single(letter => letter.Subject == "Kept: kept-so b");
        Assert.Contains(words, kept.Words, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Weights_lean_to_the_leader_by_the_hour_with_a_floor_and_the_evidence_stays_within_phases()
    {
        await using var fresh = new FreshWexil();
        await fresh.InitializeAsync();
        var wexil = fresh.Wexil;
        var tested = await wexil.StartTestAsync("leaning");
        var tests = wexil.Get<TestStore>();
        var test = tests.Find(tested.Test)!;
        await tests.ChangeAsync(
            test,
            test.Weights,
            [],
            test.Settings with
            {
                Allocation = Allocation.Adaptive,
                Floor = 10,
            },
            null,
            [("Weights shift every hour toward the page that is ahead", true)]
        );
        await Crowd.ComeAsync(wexil, tested, 500, 50, 75);
        await wexil.Get<TestMonitor>().LookAsync();
        var weights = tests.Find(tested.Test)!.Weights;
        Assert.InRange(weights[1], 85, 90);
        Assert.Equal(weights, tests.Phases(tested.Test)[^1].Weights);
        Assert.Equal(weights.Percent, wexil.Get<Routes>().Current.Step("leaning")!.Test!.Weights.Percent);
        Assert.Equal("the evidence", wexil.Get<TestStore>().Changes(tested.Test)[0].Who);
        // Nothing new: no phase begins for nothing.
        var phases = tests.Phases(tested.Test).Count;
        wexil.Time.Advance(TimeSpan.FromHours(1));
        await wexil.Get<TestMonitor>().LookAsync();
        Assert.Equal(phases, tests.Phases(tested.Test).Count);
        // Luck turns, and the weights with it. On the screen they are drawn, and all their changes are a line of the
        // log.
        await Crowd.ComeAsync(wexil, tested, 500, 90, 50);
        await wexil.Get<TestMonitor>().LookAsync();
        using var owner = await wexil.OwnerAsync();
        var count = await owner.GetStringAsync($"/f/{tested.Funnel.Slug}/leaning/count");
        Assert.Contains("Weights over time", count);
        Assert.Contains($"Favoring the leader: {tests.Find(tested.Test)!.Weights}, and 1 time before", count);
    }

    [Theory]
    [InlineData(24, 25, 0.2)]
    // If B is better by the 20% planned for, A has a rate of 25% / 1.1.
    [InlineData(25, 25, 0.25 / 1.1)]
    public async Task A_wrong_guess_at_the_rate_is_corrected_by_what_all_pages_together_brought_until_half_of_the_plan(
        int onA,
        int onB,
        double rate
    )
    {
        await using var fresh = new FreshWexil();
        await fresh.InitializeAsync();
        var wexil = fresh.Wexil;
        var tested = await wexil.StartTestAsync("guessed");
        await Crowd.ComeAsync(wexil, tested, 100, onA, onB);
        var steps = wexil.Get<FunnelStore>().AllSteps();
        double Expected() =>
            wexil.Get<TestReader>().Read(wexil.Get<TestStore>().Find(tested.Test)!, steps).Result.Facts.BaseRate;
        Assert.Equal(rate, Expected(), 6);
        await wexil.Get<TestMonitor>().LookAsync();
        // Between two looks it does not move with what comes.
        wexil.Time.Advance(TimeSpan.FromMinutes(1));
        await Crowd.ComeAsync(wexil, tested, 100, 60, 60);
        Assert.Equal(onA + onB < 50 ? (onA + onB + 120) / 400.0 / 1.1 : rate, Expected(), 6);
        await wexil.Get<TestMonitor>().LookAsync();
        Assert.Equal((onA + onB + 120) / 400.0 / 1.1, Expected(), 6);
        // Once half of the plan is done, it stays.
        wexil.Time.Advance(TimeSpan.FromMinutes(1));
        await Crowd.ComeAsync(wexil, tested, 1000, 390, 390);
        await wexil.Get<TestMonitor>().LookAsync();
        await wexil.Get<TestMonitor>().LookAsync();
        var settled = Expected();
        wexil.Time.Advance(TimeSpan.FromMinutes(1));
        await Crowd.ComeAsync(wexil, tested, 200, 10, 10);
        await wexil.Get<TestMonitor>().LookAsync();
        Assert.Equal(settled, Expected(), 6);
        using var owner = await wexil.OwnerAsync();
        var send = await owner.GetStringAsync($"/f/{tested.Funnel.Slug}/guessed/send");
        Assert.Contains(
            string.Create(CultureInfo.InvariantCulture, $"/workbench/plan?Rate={Math.Round(Expected() * 100, 2)}&"),
            WebUtility.HtmlDecode(send),
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task Who_keeps_a_page_before_anybody_came_is_told_that_nothing_is_known()
    {
        await using var fresh = new FreshWexil();
        await fresh.InitializeAsync();
        var tested = await fresh.Wexil.StartTestAsync("empty");
        using var owner = await fresh.Wexil.OwnerAsync();
        var asks = await (
            await WexilFixture.PostAsync(
                owner,
                $"/f/{tested.Funnel.Slug}/empty/keep",
                "Keep",
                ("Kept", $"{tested.B.Id.Value}")
            )
        ).Content.ReadAsStringAsync();
        Assert.Contains(
            "No visitors have been counted yet, so nothing is known about any page.",
            asks,
            StringComparison.Ordinal
        );
        Assert.DoesNotContain("in a thousand visitors", asks, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_look_that_was_sure_is_remembered_and_the_measure_of_money_is_fixed_at_the_first_that_can()
    {
        await using var fresh = new FreshWexil();
        await fresh.InitializeAsync();
        var wexil = fresh.Wexil;
        var tested = await wexil.StartTestAsync("remembered");
        await Crowd.ComeAsync(wexil, tested, 2000, 200, 290, order: 4900);
        await wexil.Get<TestMonitor>().LookAsync();
        var past = wexil.Get<LookStore>().Past(tested.Test, onMoney: false)[tested.B.Id];
        Assert.InRange(past.Ahead, 0, 0.05);
        Assert.Equal(1, past.Behind);
        Assert.Equal(545.68, wexil.Get<TestStore>().Find(tested.Test)!.BaseEarned!.Value, 2);
        // Luck turns, and what was sure stays so while the page is ahead.
        wexil.Time.Advance(TimeSpan.FromHours(1));
        await Crowd.ComeAsync(wexil, tested, 1000, 130, 90, order: 9800);
        await wexil.Get<TestMonitor>().LookAsync();
        var later = wexil.Get<LookStore>().Past(tested.Test, onMoney: false)[tested.B.Id];
        Assert.Equal(past, later with { Progress = past.Progress });
        Assert.True(later.Progress > past.Progress);
        Assert.Equal(545.68, wexil.Get<TestStore>().Find(tested.Test)!.BaseEarned!.Value, 2);
        using var owner = await wexil.OwnerAsync();
        Assert.Contains("Keep B. It got", await owner.GetStringAsync($"/f/{tested.Funnel.Slug}/remembered/count"));
    }

    [Fact]
    public async Task The_owner_hears_of_a_problem_at_most_once_an_hour_and_of_everything_on_Monday_morning()
    {
        await using var fresh = new FreshWexil();
        await fresh.InitializeAsync();
        var wexil = fresh.Wexil;
        var tested = await wexil.StartTestAsync("troubled");
        await wexil.Get<SettingStore>().SetOwnerMailAsync("owner@larkrow.example");
        await wexil.Get<SettingStore>().SetZoneAsync(TimeZoneInfo.FindSystemTimeZoneById("America/New_York"));
        await Crowd.ComeAsync(wexil, tested, 300, 30, 30);
        // 9 November 2040 is a Friday.
        wexil.Time.Advance(TimeSpan.FromDays(3) - TimeSpan.FromHours(1));
        await wexil.Get<TestMonitor>().LookAsync();
        Assert.Equal(["Started: troubled"], await MailsAsync(wexil));
        // Many come to B and nobody to A.
        await Crowd.ComeAsync(wexil, tested, 0, 0, 0, alsoB: 400);
        await wexil.Get<TestMonitor>().LookAsync();
        await wexil.Get<TestMonitor>().LookAsync();
        wexil.Time.Advance(TimeSpan.FromHours(7));
        await wexil.Get<TestMonitor>().LookAsync();
        await wexil.Get<TestMonitor>().LookAsync();
        Assert.Equal(["Problem: troubled", "Started: troubled", "Your tests: Monday summary"], await MailsAsync(wexil));
        var digest = wexil
            .Get<MailSender>()
            .Simulated()
            .Single(letter => letter.Subject == "Your tests: Monday summary")
            .Words;
        Assert.Matches("B “troubled b” against the control: confidence [0-9.]+% \\(95% needed\\)", digest);
    }

    [Fact]
    public async Task A_test_of_a_funnel_that_is_put_away_is_looked_at_and_one_whose_goal_is_put_away_is_shown()
    {
        await using var fresh = new FreshWexil();
        await fresh.InitializeAsync();
        var wexil = fresh.Wexil;
        using var owner = await wexil.OwnerAsync();
        var tested = await wexil.StartTestAsync("away");
        await wexil.Get<FunnelStore>().ArchiveStepAsync(tested.Thanks.Id, null);
        foreach (var stage in new[] { "build", "send", "count", "keep" })
            Assert.Contains("away", await owner.GetStringAsync($"/f/{tested.Funnel.Slug}/away/{stage}"));
        await Crowd.ComeAsync(wexil, tested, 2000, 200, 300);
        Assert.Contains("One test is ready to keep.", await owner.GetStringAsync("/"));
        await wexil.Get<SettingStore>().SetOwnerMailAsync("owner@larkrow.example");
        await wexil.Get<FunnelStore>().ArchiveAsync(tested.Funnel.Id, archived: true);
        await wexil.Get<TestMonitor>().LookAsync();
        // It asks for nothing any more.
        Assert.DoesNotContain("ready to keep", await owner.GetStringAsync("/"));
        Assert.Empty(await MailsAsync(wexil));
        Assert.Contains(tested.Test, wexil.Get<LookStore>().Last().Keys);
        foreach (var path in new[] { "/", "/people", "/tests", "/sales" })
            Assert.True((await owner.GetAsync(path)).IsSuccessStatusCode, path);
    }

    private static async Task<string[]> MailsAsync(WexilFixture wexil)
    {
        await wexil.Get<OutboxDelivery>().SendDueAsync(default);
        return [.. wexil.Get<MailSender>().Simulated().Select(letter => letter.Subject).Order(StringComparer.Ordinal)];
    }
}
