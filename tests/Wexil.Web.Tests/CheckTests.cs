using Wexil.App.Monitoring;
using Wexil.App.Results;
using Wexil.App.Visits;
using Wexil.Core.SplitTests;
using Wexil.Store;

namespace Wexil.Web.Tests;

/// <summary>
/// A page is kept with a check: what it brings is measured on those who go on seeing the page replaced.
/// </summary>
public sealed class CheckTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    [Fact]
    public async Task A_page_is_kept_checked_and_measured_and_the_check_ends_by_itself()
    {
        await wexil.Get<SettingStore>().SetOwnerMailAsync("owner@larkrow.example");
        var tested = await BetterAsync("measured");
        using var owner = await wexil.OwnerAsync();
        var keep = $"/f/{tested.Funnel.Slug}/measured/keep";
        Assert.Contains("go on seeing “measured a”", await ReadAsync(owner, keep), StringComparison.Ordinal);
        var said = await KeepAsync(owner, tested, "measured", share: 10, weeks: 4, takesBack: true);
        Assert.Contains("“measured b” is kept, and checked until 7 Dec: 10% of", said, StringComparison.Ordinal);

        // The link splits by the share from the next visitor on.
        var check = CheckOf(tested);
        Assert.Equal([tested.B.Id, tested.A.Id], check.Pages);
        Assert.Equal([90, 10], check.Weights.Percent);
        Assert.Equal(check.Id, wexil.Get<Routes>().Current.Step(tested.Step.Id)!.Test!.Id);
        Assert.Contains("Too little to tell yet", await ReadAsync(owner, keep), StringComparison.Ordinal);

        await PassAsync(check, tested, 2400, 360, 250, 30);
        foreach (var screen in new[] { keep, "/", $"/f/{tested.Funnel.Slug}/measured/count" })
            Assert.Contains(
                "“measured b” got 25% more opt-ins than “measured a”, which it replaced.",
                await ReadAsync(owner, screen),
                StringComparison.Ordinal
            );
        Assert.Contains("check of the kept page, until 7 Dec", await ReadAsync(owner, "/"), StringComparison.Ordinal);

        wexil.Time.Advance(TimeSpan.FromDays(28));
        await wexil.Get<TestMonitor>().LookAsync();
        Assert.False(wexil.Get<TestStore>().Find(check.Id)!.IsOpen);
        Assert.Null(wexil.Get<Routes>().Current.Step(tested.Step.Id)!.Test!.Phase);
        Assert.Equal(tested.B.Id, wexil.Get<FunnelStore>().AllSteps().Single(s => s.Id == tested.Step.Id).Page);
        Assert.Contains("Checked: measured b", Mails());
        using var later = await wexil.OwnerAsync();
        var ended = await ReadAsync(later, keep);
        Assert.Contains("The check measured +25.0%", ended, StringComparison.Ordinal);
        Assert.DoesNotContain("Undo and resume the test", ended, StringComparison.Ordinal);
        Assert.Contains("measured +25.0%", await ReadAsync(later, "/tests?show=Decided"), StringComparison.Ordinal);

        // What the page gained is what the check measured, and not what the test that kept it had seen.
        var gain = wexil.Get<KeptGains>().All().Single(line => line.Verdict.Test == tested.Test);
        Assert.True(gain.IsMeasured);
        Assert.Equal(0.03 * gain.Visitors, gain.Gain.Amount, 1e-6);
    }

    [Fact]
    public async Task A_kept_page_that_is_surely_worse_is_taken_back_and_the_owner_is_told()
    {
        await wexil.Get<SettingStore>().SetOwnerMailAsync("owner@larkrow.example");
        var tested = await BetterAsync("worse");
        using var owner = await wexil.OwnerAsync();
        await KeepAsync(owner, tested, "worse", share: 20, weeks: 4, takesBack: true);
        var check = CheckOf(tested);
        for (var i = 0; i < 10 && wexil.Get<TestStore>().Find(check.Id)!.IsOpen; i++)
            await PassAsync(check, tested, 800, 80, 200, 32);
        Assert.False(wexil.Get<TestStore>().Find(check.Id)!.IsOpen);
        Assert.Equal(tested.A.Id, wexil.Get<FunnelStore>().AllSteps().Single(s => s.Id == tested.Step.Id).Page);
        Assert.Contains("Brought back: worse a", Mails());
        var keep = await ReadAsync(owner, $"/f/{tested.Funnel.Slug}/worse/keep");
        Assert.Contains("page brought back", keep, StringComparison.Ordinal);
        Assert.Contains("“worse a” is shown to everyone.", keep, StringComparison.Ordinal);
        // The page replaced gains nothing by coming back.
        Assert.DoesNotContain(wexil.Get<KeptGains>().All(), line => line.Verdict.Test == check.Id);
    }

    [Fact]
    public async Task Where_the_owner_decides_a_worse_page_is_told_and_stays()
    {
        var tested = await BetterAsync("told");
        using var owner = await wexil.OwnerAsync();
        await KeepAsync(owner, tested, "told", share: 20, weeks: 4, takesBack: false);
        var check = CheckOf(tested);
        await PassAsync(check, tested, 8000, 800, 2000, 320);
        Assert.True(wexil.Get<TestStore>().Find(check.Id)!.IsOpen);
        var today = await ReadAsync(owner, "/");
        Assert.Contains("Bring back “told a”.", today, StringComparison.Ordinal);
        Assert.Contains("attention", today, StringComparison.Ordinal);

        // By hand it is asked nothing more: the numbers say so.
        await WexilFixture.PostAsync(owner, Address(tested, "told", "keep"), "Keep", ("Kept", $"{tested.A.Id.Value}"));
        Assert.Equal(tested.A.Id, wexil.Get<FunnelStore>().AllSteps().Single(s => s.Id == tested.Step.Id).Page);
    }

    [Fact]
    public async Task A_new_test_ends_the_check_and_what_it_measured_stays()
    {
        var tested = await BetterAsync("next");
        using var owner = await wexil.OwnerAsync();
        await KeepAsync(owner, tested, "next", share: 10, weeks: 4, takesBack: true);
        var check = CheckOf(tested);
        await PassAsync(check, tested, 2400, 360, 250, 30);
        var send = Address(tested, "next", "send");
        Assert.Contains("A new test ends the check", await ReadAsync(owner, send), StringComparison.Ordinal);
        await WexilFixture.PostAsync(
            owner,
            send,
            "Start",
            ("Rows[0].Page", $"{tested.B.Id.Value}"),
            ("Rows[0].In", "true"),
            ("Rows[0].Weight", "50"),
            ("Rows[1].Page", $"{tested.A.Id.Value}"),
            ("Rows[1].In", "true"),
            ("Rows[1].Weight", "50"),
            ("Control", $"{tested.B.Id.Value}"),
            ("Goal", $"{tested.Thanks.Id.Value}"),
            ("BaseRate", "15"),
            ("SmallestLift", "20"),
            ("Share", "100")
        );
        Assert.False(wexil.Get<TestStore>().Find(check.Id)!.IsOpen);
        var open = wexil.Get<TestStore>().ForStep(tested.Step.Id)[0];
        Assert.True(open is { IsOpen: true, Check: null });
        Assert.Contains("measured +25.0%", await ReadAsync(owner, Address(tested, "next", "keep")));
    }

    [Fact]
    public async Task A_check_that_ended_says_what_it_measured_on_count_and_a_stale_window_is_told()
    {
        var tested = await BetterAsync("stale");
        using var owner = await wexil.OwnerAsync();
        await KeepAsync(owner, tested, "stale", share: 10, weeks: 4, takesBack: true);
        var check = CheckOf(tested);
        await PassAsync(check, tested, 2400, 360, 250, 30);
        var (keep, send) = (Address(tested, "stale", "keep"), Address(tested, "stale", "send"));
        foreach (var handler in new[] { "Change", "Pause" })
        {
            await WexilFixture.PostAsync(owner, send, handler, ("Share", "50"));
            Assert.Contains("The test is already decided.", await ReadAsync(owner, send), StringComparison.Ordinal);
        }
        await WexilFixture.PostAsync(
            owner,
            keep,
            "Keep",
            ("Kept", $"{tested.B.Id.Value}"),
            ("KeptIn", $"{check.Id.Value}"),
            ("Confirmed", "true")
        );
        var count = await ReadAsync(owner, Address(tested, "stale", "count"));
        Assert.Contains("“stale b” got 25% more opt-ins than “stale a”", count, StringComparison.Ordinal);
        Assert.DoesNotContain("Until the check ends", count, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_check_that_nobody_came_to_says_so_in_a_sentence()
    {
        var tested = await BetterAsync("nobody");
        using var owner = await wexil.OwnerAsync();
        await KeepAsync(owner, tested, "nobody", share: 10, weeks: 4, takesBack: true);
        var keep = Address(tested, "nobody", "keep");
        await WexilFixture.PostAsync(owner, keep, "Keep", ("Kept", $"{tested.B.Id.Value}"), ("Confirmed", "true"));
        Assert.Contains("The check measured too little to tell.", await ReadAsync(owner, keep));
    }

    [Fact]
    public async Task Keeping_is_undone_while_the_check_goes_on_and_the_test_resumes()
    {
        var tested = await BetterAsync("undone");
        using var owner = await wexil.OwnerAsync();
        await KeepAsync(owner, tested, "undone", share: 10, weeks: 4, takesBack: true);
        wexil.Time.Advance(TimeSpan.FromHours(1));
        var keep = Address(tested, "undone", "keep");
        await WexilFixture.PostAsync(owner, keep, "TakeBack");
        Assert.True(wexil.Get<TestStore>().Find(tested.Test)!.IsOpen);
        Assert.Equal(tested.Test, wexil.Get<Routes>().Current.Step(tested.Step.Id)!.Test!.Id);
        Assert.Equal(tested.A.Id, wexil.Get<FunnelStore>().AllSteps().Single(s => s.Id == tested.Step.Id).Page);
        Assert.Contains("Keep B. It got 50% more opt-ins than A.", await ReadAsync(owner, keep));

        // And once more, with nothing left to undo by a second click.
        await WexilFixture.PostAsync(owner, keep, "TakeBack");
        Assert.True(wexil.Get<TestStore>().Find(tested.Test)!.IsOpen);
    }

    [Fact]
    public async Task The_report_of_a_page_kept_again_says_nothing_of_the_check_of_the_first_time()
    {
        var tested = await BetterAsync("again");
        using var owner = await wexil.OwnerAsync();
        await KeepAsync(owner, tested, "again", share: 10, weeks: 4, takesBack: true);
        var keep = Address(tested, "again", "keep");
        var report = await ReportLink.MakeAsync(owner, keep, tested);
        using var reader = wexil.Visitor();
        Assert.Contains("Checked now, with 10%", await ReadAsync(reader, report), StringComparison.Ordinal);

        wexil.Time.Advance(TimeSpan.FromHours(1));
        await WexilFixture.PostAsync(owner, keep, "TakeBack");
        await WexilFixture.PostAsync(owner, keep, "Keep", ("Kept", $"{tested.B.Id.Value}"));
        var again = await ReadAsync(reader, report);
        Assert.Contains("Kept “again b”, by hand.", again, StringComparison.Ordinal);
        Assert.DoesNotContain("Checked", again, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_second_click_does_not_end_the_check_that_the_first_began()
    {
        var tested = await BetterAsync("twice");
        using var owner = await wexil.OwnerAsync();
        var keep = Address(tested, "twice", "keep");
        Assert.Contains($"name=\"KeptIn\" value=\"{tested.Test.Value}\"", await owner.GetStringAsync(keep));
        for (var click = 0; click < 2; click++)
            await WexilFixture.PostAsync(
                owner,
                keep,
                "Keep",
                ("Kept", $"{tested.B.Id.Value}"),
                ("KeptIn", $"{tested.Test.Value}"),
                ("Confirmed", "true"),
                ("Check.On", "true"),
                ("Check.Share", "10"),
                ("Check.Weeks", "4")
            );
        Assert.True(CheckOf(tested).IsOpen);
    }

    [Theory]
    [InlineData("4", "4", "Check.Share")]
    [InlineData("21", "4", "Check.Share")]
    [InlineData("10", "0", "Check.Weeks")]
    [InlineData("10", "13", "Check.Weeks")]
    public async Task A_check_of_another_size_is_refused_and_nothing_is_kept(string share, string weeks, string field)
    {
        var slug = $"size-{share}-{weeks}";
        var tested = await BetterAsync(slug);
        using var owner = await wexil.OwnerAsync();
        var refused = await WexilFixture.PostAsync(
            owner,
            Address(tested, slug, "keep"),
            "Keep",
            ("Kept", $"{tested.B.Id.Value}"),
            ("Check.On", "true"),
            ("Check.Share", share),
            ("Check.Weeks", weeks)
        );
        Assert.Equal([field], await Refusals.OfAsync(refused));
        Assert.True(wexil.Get<TestStore>().Find(tested.Test)!.IsOpen);
    }

    [Fact]
    public async Task The_control_replaces_nothing_so_nothing_is_checked()
    {
        var tested = await wexil.StartTestAsync("control");
        await Crowd.ComeAsync(wexil, tested, 2000, 300, 200);
        using var owner = await wexil.OwnerAsync();
        var keep = Address(tested, "control", "keep");
        await WexilFixture.PostAsync(
            owner,
            keep,
            "Keep",
            ("Kept", $"{tested.A.Id.Value}"),
            ("Check.On", "true"),
            ("Check.Share", "10"),
            ("Check.Weeks", "4")
        );
        Assert.Single(wexil.Get<TestStore>().ForStep(tested.Step.Id));
        Assert.Contains("“control a” is kept: /go/control shows it", await ReadAsync(owner, keep));
    }

    [Fact]
    public async Task A_rule_keeps_with_its_check()
    {
        var tested = await wexil.StartTestAsync("by-rule");
        using var owner = await wexil.OwnerAsync();
        var keep = Address(tested, "by-rule", "keep");
        await WexilFixture.PostAsync(
            owner,
            keep,
            "Rule",
            ("Rule.By", "Visitors"),
            ("Rule.Visitors", "4000"),
            ("Rule.Check.On", "true"),
            ("Rule.Check.Share", "5"),
            ("Rule.Check.Weeks", "2"),
            ("Rule.Check.TakesBack", "true")
        );
        Assert.Contains("then checked for 2 weeks with 5% of the visitors", await ReadAsync(owner, keep));
        await Crowd.ComeAsync(wexil, tested, 2000, 200, 300);
        await wexil.Get<TestMonitor>().LookAsync();
        Assert.Equal(new KeptCheck(tested.Test, true), CheckOf(tested).Check);
        Assert.Equal([95, 5], CheckOf(tested).Weights.Percent);
    }

    /// <summary>A test whose second page got half as many opt-ins again, by more than chance would explain.</summary>
    private async Task<TestedStep> BetterAsync(string slug)
    {
        var tested = await wexil.StartTestAsync(slug);
        await Crowd.ComeAsync(wexil, tested, 2000, 200, 300);
        return tested;
    }

    private static string Address(TestedStep tested, string slug, string stage) =>
        $"/f/{tested.Funnel.Slug}/{slug}/{stage}";

    private static async Task<string> KeepAsync(
        HttpClient owner,
        TestedStep tested,
        string slug,
        int share,
        int weeks,
        bool takesBack
    )
    {
        var keep = Address(tested, slug, "keep");
        await WexilFixture.PostAsync(
            owner,
            keep,
            "Keep",
            ("Kept", $"{tested.B.Id.Value}"),
            ("Check.On", "true"),
            ("Check.Share", $"{share}"),
            ("Check.Weeks", $"{weeks}"),
            ("Check.TakesBack", takesBack ? "true" : "false")
        );
        return await ReadAsync(owner, keep);
    }

    /// <summary>An hour passes in which visitors of both pages come, the kept page first; then it is looked.</summary>
    private async Task PassAsync(
        SplitTest check,
        TestedStep tested,
        int kept,
        int conversionsKept,
        int replaced,
        int conversionsReplaced
    )
    {
        wexil.Time.Advance(TimeSpan.FromHours(1));
        var swapped = tested with { Test = check.Id, A = tested.B, B = tested.A };
        await Crowd.ComeAsync(wexil, swapped, kept, conversionsKept, conversionsReplaced, alsoB: replaced - kept);
        await wexil.Get<TestMonitor>().LookAsync();
    }

    private SplitTest CheckOf(TestedStep tested) =>
        wexil.Get<TestStore>().ForStep(tested.Step.Id).Single(test => test.Check?.Of == tested.Test);

    private string Mails() =>
        string.Join('\n', wexil.Get<OutboxStore>().Waiting(50).Select(mail => mail.What.Mail.Subject));

    private static async Task<string> ReadAsync(HttpClient owner, string address) =>
        WexilFixture.Read(await owner.GetStringAsync(address));
}
