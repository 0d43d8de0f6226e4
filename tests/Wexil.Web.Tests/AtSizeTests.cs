using System.Net;
using Wexil.App.Results;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Tests;

/// <summary>Lists that are shown a part at a time, pages that are found by name, and results kept in memory.</summary>
public sealed class AtSizeTests : IAsyncLifetime
{
    private readonly WexilFixture _wexil = new();

    public Task InitializeAsync() => _wexil.InitializeAsync();

    public async Task DisposeAsync() => await _wexil.DisposeAsync();

    private IReadOnlyDictionary<StepId, Step> Steps =>
        _wexil.Get<FunnelStore>().AllSteps().ToDictionary(step => step.Id);

    private TestReading ReadingOf(TestId test) =>
        _wexil.Get<Readings>().Open(Steps).Single(reading => reading.Test.Id == test);

    [Fact]
    public async Task A_result_is_renewed_by_a_visit_or_a_change_and_by_nothing_else()
    {
        var (one, other) = (await _wexil.StartTestAsync("one"), await _wexil.StartTestAsync("other"));
        var (first, second) = (ReadingOf(one.Test), ReadingOf(other.Test));
        Assert.Same(first, ReadingOf(one.Test));

        using var visitor = _wexil.Visitor();
        await visitor.GetAsync("/go/one");
        await _wexil.Host.Journal.WhenProjectedAsync();
        Assert.Equal(1, ReadingOf(one.Test).Result.Total.Visitors);
        Assert.Same(second, ReadingOf(other.Test));

        await _wexil.Get<TestStore>().ChangeWeightsAsync(other.Test, Weights.Create(30, 70));
        Assert.Equal([30, 70], ReadingOf(other.Test).Test.Weights.Percent);
        var counted = ReadingOf(one.Test);
        await _wexil.Get<PageStore>().RenameAsync(one.B.Id, "Shorter form");
        Assert.Equal("Shorter form", ReadingOf(one.Test).Pages[1].Name);

        await _wexil.Get<SettingStore>().SetOwnerNameAsync("Larkrow");
        Assert.NotSame(counted, ReadingOf(one.Test));
        counted = ReadingOf(one.Test);
        _wexil.Time.Advance(TimeSpan.FromMinutes(59));
        Assert.Same(counted, ReadingOf(one.Test));
        _wexil.Time.Advance(TimeSpan.FromMinutes(1));
        Assert.NotSame(counted, ReadingOf(one.Test));
    }

    [Fact]
    public async Task A_test_that_is_decided_is_no_longer_among_the_open_ones()
    {
        var tested = await _wexil.StartTestAsync("decided");
        var reading = ReadingOf(tested.Test);
        await _wexil.Get<VerdictRecorder>().KeepAsync(reading, tested.B.Id, VerdictStore.ByHand);
        Assert.DoesNotContain(_wexil.Get<Readings>().Open(Steps), open => open.Test.Id == tested.Test);
    }

    [Fact]
    public async Task A_list_of_all_tests_renews_fifty_stale_results_and_shows_the_others_as_they_were()
    {
        await CreateFunnelsAsync(Readings.MaxRenewed + 1, startsTests: true);
        var readings = _wexil.Get<Readings>();
        var before = readings.Open(Steps);
        Assert.Equal(Readings.MaxRenewed + 1, before.Count);
        await _wexil.Get<SettingStore>().SetOwnerNameAsync("Larkrow");
        Assert.Single(readings.Open(Steps).Intersect(before, ReferenceEqualityComparer.Instance));
        // The one that is left is renewed first the next time, once lists may renew again.
        Assert.Single(readings.Open(Steps).Intersect(before, ReferenceEqualityComparer.Instance));
        _wexil.Time.Advance(TimeSpan.FromSeconds(1.0 / Readings.RenewedPerSecond));
        Assert.Empty(readings.Open(Steps).Intersect(before, ReferenceEqualityComparer.Instance));
    }

    [Fact]
    public async Task Long_lists_are_shown_in_parts_and_every_part_leads_to_the_next()
    {
        await CreateFunnelsAsync(101, startsTests: true);
        using var owner = await _wexil.OwnerAsync();
        var today = WexilFixture.Read(await owner.GetStringAsync("/"));
        Assert.Contains("101 tests are running.", today);
        Assert.Contains("The first 100 of 101.", today);
        Assert.Contains("All 101 funnels", today);

        var tests = await owner.GetStringAsync("/tests");
        Assert.Contains("1 to 100 of 101", tests);
        Assert.DoesNotContain(">Previous<", tests);
        var last = await owner.GetStringAsync("/tests?q=&show=All&sort=Newest&at=1");
        Assert.Contains("101 to 101 of 101", last);
        Assert.Contains(">Previous<", last);
        Assert.DoesNotContain(">Next<", last);

        Assert.Contains("1 to 50 of 101", await owner.GetStringAsync("/funnels"));
        Assert.Contains("101 to 101 of 101", await owner.GetStringAsync("/funnels?at=2"));
        Assert.Contains("The first 50 are shown.", await owner.GetStringAsync("/jump?q=Row"));
        // The menu holds the newest.
        Assert.Equal(12, System.Text.RegularExpressions.Regex.Count(today.Split("</details>")[0], "href=\"/f/"));
    }

    [Theory]
    [InlineData("Larkrow 7", true, "Row 7-a · Opt-in · Larkrow 7")]
    [InlineData("row 7-A · opt-in · larkrow 7", true, "Row 7-a · Opt-in · Larkrow 7")]
    [InlineData("Überraschung", true, "überraschung · Opt-in · Larkrow 8")]
    [InlineData("Row", false, "Many pages match")]
    [InlineData("Row 7", false, "2 pages match")]
    [InlineData("nowhere", false, "No page is called that.")]
    public async Task A_page_is_meant_by_a_part_of_its_words(string typed, bool isFound, string words)
    {
        await CreateFunnelsAsync(30, startsTests: false);
        var named = _wexil.Get<NamedPages>();
        if (typed == "Larkrow 7")
            typed = "7-a · Opt-in · Larkrow 7";
        var (page, problem) = PageChoice.Choose(typed, named.Pages(typed));
        Assert.Equal(isFound, page is not null);
        Assert.StartsWith(words, page?.Words ?? problem, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_page_is_meant_by_all_of_its_words_however_many_others_begin_with_them()
    {
        foreach (var name in new[] { "Kit", "Light", "Light" }.Concat(Enumerable.Range(10, 25).Select(i => $"Kit {i}")))
            await _wexil
                .Get<FunnelStore>()
                .CreateAsync(
                    name,
                    [new(StepKind.Sales, "Sales", "sales", [new("Offer", WexilFixture.Bundle("<h1>Kit</h1>"), null)])]
                );
        var named = _wexil.Get<NamedPages>();
        const string words = "Offer · Sales · Kit",
            twice = "Offer · Sales · Light";
        Assert.Equal(words, PageChoice.Choose(words, named.Pages(words)).Page?.Words);
        // Nobody is credited with a page that was not meant.
        var (page, problem) = PageChoice.Choose(twice, named.Pages(twice));
        Assert.Null(page);
        Assert.StartsWith("2 pages are called exactly that", problem, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Suggestions_come_for_the_owner_only_and_at_most_twenty()
    {
        await CreateFunnelsAsync(30, startsTests: true);
        using var owner = await _wexil.OwnerAsync();
        var pages = System.Text.Json.JsonSerializer.Deserialize<string[]>(
            await owner.GetStringAsync("/named-pages?q=row")
        )!;
        Assert.Equal(NamedPages.MaxOffered, pages.Length);
        Assert.Contains("Row 3-b", await owner.GetStringAsync("/named-pages/of-tests?q=3-b"));
        using var stranger = new HttpClient(new HttpClientHandler { AllowAutoRedirect = false });
        using var answer = await stranger.GetAsync(new Uri(_wexil.Studio, "/named-pages?q=row"));
        Assert.Equal(HttpStatusCode.Unauthorized, answer.StatusCode);
    }

    [Fact]
    public async Task An_open_count_screen_asks_for_its_figures_without_what_is_around_them()
    {
        var tested = await _wexil.StartTestAsync("figures");
        using var owner = await _wexil.OwnerAsync();
        var address = $"/f/{tested.Funnel.Slug}/figures/count";
        var (screen, live) = (await owner.GetStringAsync(address), await owner.GetStringAsync(address + "?live=true"));
        foreach (var part in new[] { "strip", "line-count", "sum", "chart", "table", "verdict", "trust" })
        {
            Assert.Contains($"data-live=\"{part}\"", screen);
            Assert.Contains($"data-live=\"{part}\"", live);
        }
        Assert.DoesNotContain("<html", live);
        Assert.DoesNotContain("Change log", live);
    }

    private async Task CreateFunnelsAsync(int count, bool startsTests)
    {
        var (funnels, pages, tests) = (_wexil.Get<FunnelStore>(), _wexil.Get<PageStore>(), _wexil.Get<TestStore>());
        PageBundle bundle = WexilFixture.Bundle("<h1>Salad</h1>");
        for (var i = 1; i <= count; i++)
        {
            var funnel = await funnels.CreateAsync(
                $"Larkrow {i}",
                [
                    new(
                        StepKind.OptIn,
                        "Opt-in",
                        $"larkrow-{i}",
                        i == 8 && !startsTests
                            ? [new("überraschung", bundle, null)]
                            : [new($"Row {i}-a", bundle, null), new($"Row {i}-b", bundle, null)]
                    ),
                    new(StepKind.ThankYou, "Thanks", $"thanks-{i}", []),
                ]
            );
            var steps = funnels.Steps(funnel.Id);
            PageId[] tested = [.. pages.ForStep(steps[0].Id).Select(page => page.Id)];
            if (startsTests)
                await tests.StartAsync(
                    new(steps[0].Id, steps[1].Id, $"Test {i}", "", 0.1, 0.2, tested, Weights.Even(tested.Length))
                );
        }
    }
}
