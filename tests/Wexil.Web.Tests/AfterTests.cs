using System.Net;
using Wexil.App;
using Wexil.App.Monitoring;
using Wexil.App.Results;
using Wexil.App.Visits;
using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;

namespace Wexil.Web.Tests;

/// <summary>
/// What is left of a test once a page is kept: what was learned, a report, what it brought, and what to test next.
/// </summary>
public sealed class AfterTests
{
    [Fact]
    public async Task What_was_learned_is_written_down_and_found_again_over_all_funnels()
    {
        await using var fresh = new FreshWexil();
        await fresh.InitializeAsync();
        var wexil = fresh.Wexil;
        using var owner = await wexil.OwnerAsync();
        Assert.Contains("No tests yet", await owner.GetStringAsync("/tests"));
        var tested = await wexil.StartTestAsync("radish");
        var other = await wexil.StartTestAsync("clover");
        var keep = $"/f/{tested.Funnel.Slug}/radish/keep";
        await KeepAsync(wexil, tested, tested.B);
        await WexilFixture.PostAsync(
            owner,
            keep,
            "Learned",
            ("test", $"{tested.Test.Value}"),
            ("learned", " Dates beat gifts <b>\r\n")
        );
        Assert.Equal("Dates beat gifts <b>", wexil.Get<TestStore>().Find(tested.Test)!.Learned);
        Assert.Contains("Dates beat gifts &lt;b&gt;", await owner.GetStringAsync(keep));
        foreach (
            var (words, finds) in new[]
            {
                ("dates GIFTS", true),
                ("radish", true),
                ("dates clover", false),
                ("radish b", true),
            }
        )
        {
            var found = await owner.GetStringAsync($"/tests?q={Uri.EscapeDataString(words)}");
            Assert.Equal(finds, found.Contains($"/f/{tested.Funnel.Slug}/radish/keep", StringComparison.Ordinal));
        }
        await Crowd.ComeAsync(wexil, other, 300, 30, 30);
        var running = await owner.GetStringAsync("/tests?q=clover");
        Assert.Contains("running", running);
        Assert.Contains("<td>600</td>", running);
        await wexil.StartTestAsync("zinnia");
        async Task<string> Listed(string query)
        {
            var list = await owner.GetStringAsync($"/tests{query}");
            list = list[list.IndexOf("<main", StringComparison.Ordinal)..];
            var names = new[] { "clover", "radish", "zinnia" };
            return string.Join(
                ' ',
                names
                    .Select(name => (Name: name, At: list.LastIndexOf($"\">{name}</a>", StringComparison.Ordinal)))
                    .Where(found => found.At > 0)
                    .OrderBy(found => found.At)
                    .Select(found => found.Name)
            );
        }
        Assert.Equal("zinnia clover radish", await Listed(""));
        Assert.Equal("clover radish zinnia", await Listed("?sort=Name"));
        Assert.StartsWith("clover", await Listed("?sort=Visitors"), StringComparison.Ordinal);
        Assert.Equal("zinnia clover", await Listed("?show=Open"));
        Assert.Equal("radish", await Listed("?show=Decided"));
        Assert.Contains("No test fits.", await owner.GetStringAsync("/tests?q=nowhere"));

        // Too much is refused, and what was typed stays; a test of another step cannot be written to from here.
        var refused = await (
            await WexilFixture.PostAsync(
                owner,
                keep,
                "Learned",
                ("test", $"{tested.Test.Value}"),
                ("learned", new string('x', 2001))
            )
        ).Content.ReadAsStringAsync();
        Assert.Equal(["learned"], Refusals.Of(refused));
        Assert.Contains(new string('x', 2001), refused);
        Assert.Equal(
            HttpStatusCode.NotFound,
            (
                await WexilFixture.PostAsync(owner, keep, "Learned", ("test", $"{other.Test.Value}"), ("learned", "x"))
            ).StatusCode
        );
        Assert.Equal("", wexil.Get<TestStore>().Find(other.Test)!.Learned);
    }

    [Fact]
    public async Task A_report_shows_the_test_and_nothing_else_until_it_is_withdrawn()
    {
        await using var fresh = new FreshWexil();
        await fresh.InitializeAsync();
        var wexil = fresh.Wexil;
        using var owner = await wexil.OwnerAsync();
        var tested = await wexil.StartTestAsync("<i>fennel");
        await Crowd.ComeAsync(wexil, tested, 2000, 200, 300);
        var keep = $"/f/{tested.Funnel.Slug}/{tested.Step.Slug}/keep";
        var link = await ReportLink.MakeAsync(owner, keep, tested);
        Assert.StartsWith(wexil.Get<VisitorsAddress>().Origin, link, StringComparison.Ordinal);
        using var reader = wexil.Visitor();
        var answer = await reader.GetAsync(link);
        var report = await answer.Content.ReadAsStringAsync();
        foreach (
            var shown in new[]
            {
                "Keep B. It got 50% more opt-ins than A.",
                "2,000",
                "15.0%",
                "&lt;i&gt;fennel b",
                "Visitors were split as set.",
                "Started",
            }
        )
            Assert.Contains(shown, report);
        foreach (var hidden in new[] { "<i>", "<script", "/f/", "/settings", wexil.Studio.Authority })
            Assert.DoesNotContain(hidden, report);
        Assert.Contains("default-src 'none'", answer.Headers.GetValues("Content-Security-Policy").Single());
        Assert.Equal("noindex", answer.Headers.GetValues("X-Robots-Tag").Single());

        await KeepAsync(wexil, tested, tested.B);
        await wexil.Get<TestStore>().SetLearnedAsync(tested.Test, "Say when.");
        report = await reader.GetStringAsync(link);
        Assert.Contains("Kept “<i>fennel b”, by hand.", WexilFixture.Read(report));
        Assert.Contains("Say when.", report);

        var made = wexil.Get<TestStore>().Reports.For(tested.Test.Value).Single();
        await WexilFixture.PostAsync(owner, keep, "Withdraw", ("test", $"{tested.Test.Value}"), ("link", $"{made.Id}"));
        Assert.Equal(HttpStatusCode.NotFound, (await reader.GetAsync(link)).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await reader.GetAsync($"/report/{new string('a', 40)}")).StatusCode);
    }

    [Fact]
    public async Task What_keeping_brought_counts_those_who_were_shown_the_page_since_and_no_others()
    {
        await using var fresh = new FreshWexil();
        await fresh.InitializeAsync();
        var wexil = fresh.Wexil;
        using var owner = await wexil.OwnerAsync();
        var tested = await wexil.StartTestAsync("sorrel");
        await Crowd.ComeAsync(wexil, tested, 2000, 200, 300);
        wexil.Time.Advance(TimeSpan.FromHours(1));
        await KeepAsync(wexil, tested, tested.B);
        await VisitAsync(wexil, tested, 1000);
        var line = Assert.Single(wexil.Get<KeptGains>().All());
        Assert.Equal((1000, "50 opt-ins", null), (line.Visitors, line.Amount, line.Currency));
        Assert.True(line.Gain.Range.Low is > 0 and < 50 && line.Gain.Range.High > 50);
        Assert.Contains("50 opt-ins more", await owner.GetStringAsync("/"));

        // Another test begins: those whom it puts on another page see the kept one no longer.
        var c = await wexil.Get<PageStore>().AddAsync(tested.Step.Id, "sorrel c", WexilFixture.Bundle("<h1>C</h1>"));
        var next = (
            await wexil
                .Get<TestStore>()
                .StartAsync(
                    new(tested.Step.Id, tested.Thanks.Id, "next", "", 0.2, 0.2, [tested.B.Id, c], Weights.Even(2))
                )
        )!.Value;
        wexil.Time.Advance(TimeSpan.FromHours(1));
        await Crowd.ComeAsync(
            wexil,
            tested with
            {
                Test = next,
                A = tested.B,
                B = wexil.Get<PageStore>().Find(c)!,
            },
            400,
            40,
            100
        );
        Assert.Equal(1400, Assert.Single(wexil.Get<KeptGains>().All()).Visitors);
        // Its winner takes the place; what the first brought stays as it was.
        wexil.Time.Advance(TimeSpan.FromHours(1));
        await KeepAsync(wexil, tested with { Test = next }, wexil.Get<PageStore>().Find(c)!);
        await VisitAsync(wexil, tested, 500);
        var both = wexil.Get<KeptGains>().All();
        Assert.Equal([500, 1400], both.Select(gain => gain.Visitors));
        // Taken back, it brought nothing.
        await wexil.Get<VerdictStore>().TakeBackAsync(next);
        Assert.Equal(tested.B.Id, Assert.Single(wexil.Get<KeptGains>().All()).Verdict.Page);
    }

    [Fact]
    public async Task Where_orders_are_told_keeping_is_worth_money_and_the_control_kept_is_worth_nothing()
    {
        await using var fresh = new FreshWexil();
        await fresh.InitializeAsync();
        var wexil = fresh.Wexil;
        var tested = await wexil.StartTestAsync("lovage");
        await Crowd.ComeAsync(wexil, tested, 2000, 200, 300, order: 4900);
        wexil.Time.Advance(TimeSpan.FromHours(1));
        await wexil.Get<TestMonitor>().LookAsync();
        await KeepAsync(wexil, tested, tested.B);
        await VisitAsync(wexil, tested, 100);
        var line = Assert.Single(wexil.Get<KeptGains>().All());
        // What was seen is $245; what is to be expected of a page that was called, a little less.
        Assert.Equal(("USD", "$244"), (line.Currency!.Code, line.Amount));
        var kept = await wexil.StartTestAsync("borage");
        await Crowd.ComeAsync(wexil, kept, 2000, 300, 200);
        await KeepAsync(wexil, kept, kept.A);
        Assert.Single(wexil.Get<KeptGains>().All());
    }

    [Fact]
    public async Task Today_says_where_a_better_page_would_bring_most_and_leaves_out_what_is_tested()
    {
        await using var fresh = new FreshWexil();
        await fresh.InitializeAsync();
        var wexil = fresh.Wexil;
        using var owner = await wexil.OwnerAsync();
        var tested = await wexil.StartTestAsync("chervil");
        await Crowd.ComeAsync(wexil, tested, 2000, 400, 600);
        Assert.DoesNotContain("Worth testing next", await owner.GetStringAsync("/"));
        wexil.Time.Advance(TimeSpan.FromHours(1));
        await KeepAsync(wexil, tested, tested.B);
        var today = await owner.GetStringAsync("/");
        Assert.Contains("Worth testing next", today);
        // 4,000 visitors in a week, a quarter of whom go on: a fifth more is 200 a week.
        Assert.Contains("200 more continue", WexilFixture.Read(today));
        Assert.Contains("30.0% if better", today);
    }

    private static async Task KeepAsync(WexilFixture wexil, TestedStep tested, Page page)
    {
        var reading = wexil
            .Get<TestReader>()
            .Read(wexil.Get<TestStore>().Find(tested.Test)!, wexil.Get<FunnelStore>().AllSteps());
        Assert.True(await wexil.Get<VerdictRecorder>().KeepAsync(reading, page.Id, VerdictStore.ByHand));
    }

    /// <summary>New visitors of the step while nothing is tested.</summary>
    private static async Task VisitAsync(WexilFixture wexil, TestedStep tested, int count)
    {
        wexil.Time.Advance(TimeSpan.FromMinutes(15));
        var (now, chance) = (wexil.Time.GetUtcNow(), new SeededChance(count));
        await Task.WhenAll(
            Enumerable
                .Range(0, count)
                .Select(_ =>
                    wexil.Host.Journal.AppendAsync(
                        new(
                            Guid.CreateVersion7(),
                            now,
                            EventKind.Visit,
                            VisitorId.New(now, chance),
                            tested.Step.Id,
                            wexil.Get<Routes>().Current.Step(tested.Step.Slug)!.Page!.Id
                        )
                    )
                )
        );
        await wexil.Host.Journal.WhenProjectedAsync();
    }
}
