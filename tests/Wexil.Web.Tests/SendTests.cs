using System.Net;
using System.Text;
using System.Text.RegularExpressions;
using Microsoft.Extensions.DependencyInjection;
using Wexil.App.Monitoring;
using Wexil.App.Tickets;
using Wexil.App.Visits;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;
using Wexil.Store;

namespace Wexil.Web.Tests;

/// <summary>Who is sent where, and what of it counts.</summary>
public sealed class SendTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    [Fact]
    public async Task Robots_previews_checks_and_the_owner_are_served_and_left_out_with_a_count()
    {
        var tested = await wexil.StartTestAsync("served", Weights.Create(0, 100));
        using var robot = wexil.Visitor(agent: "Googlebot/2.1 (+http://www.google.com/bot.html)");
        var answer = await robot.GetAsync("/go/served");
        Assert.False(answer.Headers.Contains("Set-Cookie"));
        Assert.Contains("Page A", await answer.Content.ReadAsStringAsync());
        using var visitor = wexil.Visitor();
        using var ahead = new HttpRequestMessage(HttpMethod.Get, "/go/served");
        ahead.Headers.Add("Sec-Purpose", "prefetch;prerender");
        Assert.Equal(HttpStatusCode.OK, (await visitor.SendAsync(ahead)).StatusCode);
        await visitor.SendAsync(new(HttpMethod.Head, "/go/served"));

        using var mine = wexil.Visitor();
        Assert.Equal(HttpStatusCode.NotFound, (await mine.GetAsync("/mine/forged")).StatusCode);
        await mine.GetAsync($"/mine/{wexil.Get<OwnDeviceTickets>().Issue(TimeSpan.FromMinutes(5))}");
        Assert.Contains("Page B", await mine.GetStringAsync("/go/served"));
        await mine.PostAsync(
            $"/p/{tested.A.Slug}/opt-in",
            new FormUrlEncodedContent([new("email", "owner@larkrow.example")])
        );
        Assert.Equal((0, 0), await wexil.CountedAsync(tested.Test));
        Assert.Equal(
            new Dictionary<NotCountedReason, long>
            {
                [NotCountedReason.Robot] = 1,
                [NotCountedReason.Prefetch] = 1,
                [NotCountedReason.Check] = 1,
                [NotCountedReason.Own] = 2,
            },
            wexil
                .Get<TallyStore>()
                .LeftOut(tested.Step.Id)
                .OrderBy(row => row.Key == NotCountedReason.Own)
                .ToDictionary()
        );
        Assert.DoesNotContain(wexil.Get<PeopleStore>().Find(new(), 50), lead => lead.Email == "owner@larkrow.example");

        await mine.GetAsync("/go/served?wx_count=1");
        await mine.GetAsync("/go/served-thanks");
        Assert.Equal((1, 1), await wexil.CountedAsync(tested.Test));
    }

    [Fact]
    public async Task A_double_click_is_one_visit_and_a_visit_after_two_seconds_another()
    {
        var tested = await wexil.StartTestAsync("clicked");
        using var visitor = wexil.Visitor();
        await visitor.GetAsync("/go/clicked?s=letter");
        await visitor.GetAsync("/go/clicked?s=letter");
        wexil.Time.Advance(TimeSpan.FromSeconds(2));
        await visitor.GetAsync("/go/clicked?s=letter");
        await visitor.GetAsync("/go/clicked?s=letter");
        await wexil.Host.Journal.WhenProjectedAsync();
        var line = wexil
            .Get<SourceStore>()
            .Lines(tested.Funnel.Id, Currency.Default)
            .Single(line => line.Source?.Tag == "letter");
        Assert.Equal((2, 1), (line.Clicks, line.Visitors));
    }

    [Fact]
    public async Task A_source_is_credited_with_what_its_visitors_do_and_the_affiliates_id_reaches_the_till()
    {
        var tested = await wexil.StartTestAsync(
            "credited",
            Weights.Create(100, 0),
            outsideThanks: new("https://till.larkrow.example/thanks")
        );
        var sources = wexil.Get<SourceStore>();
        Assert.True(
            await sources.SaveAsync(
                tested.Funnel.Id,
                null,
                "letter",
                "Sunday letter",
                SourceKind.Letter,
                35,
                new Dictionary<StepId, PageId>()
            )
        );
        using var reader = wexil.Visitor();
        await reader.GetAsync("/go/credited?s=Letter");
        // A later link does not take the visitor over, and moving on within is no click.
        await reader.GetAsync("/go/credited-thanks?utm_source=forum");
        using var sent = wexil.Visitor();
        await sent.GetAsync("/go/credited?aff=ann-17");
        var till = (await sent.GetAsync("/go/credited-thanks")).Headers.Location!;
        Assert.Contains("aff=ann-17", till.Query);
        await wexil.Host.Journal.WhenProjectedAsync();
        var lines = sources.Lines(tested.Funnel.Id, Currency.Default);
        var letter = lines.Single(line => line.Source?.Tag == "letter");
        Assert.Equal((1, 1, 1, 35L), (letter.Clicks, letter.Visitors, letter.OptIns, letter.Spent));
        Assert.Equal(
            (1, 0),
            (
                lines.Single(line => line.Source?.Tag == "forum").Clicks,
                lines.Single(line => line.Source?.Tag == "forum").Visitors
            )
        );
        Assert.Equal(1, lines.Single(line => line.Source?.Tag == "ann-17").OptIns);
    }

    [Fact]
    public async Task A_tied_source_shows_its_page_and_is_counted_apart()
    {
        var tested = await wexil.StartTestAsync("tied", Weights.Create(100, 0));
        await wexil
            .Get<SourceStore>()
            .SaveAsync(
                tested.Funnel.Id,
                null,
                "ad-b",
                "The ad for B",
                SourceKind.Ad,
                null,
                new Dictionary<StepId, PageId> { [tested.Step.Id] = tested.B.Id }
            );
        using var visitor = wexil.Visitor();
        Assert.Contains("Page B", await visitor.GetStringAsync("/go/tied?s=ad-b"));
        Assert.Contains("Page B", await visitor.GetStringAsync("/go/tied"));
        await visitor.GetAsync("/go/tied-thanks");
        Assert.Equal((0, 0), await wexil.CountedAsync(tested.Test));
        Assert.Equal(
            new(tested.B.Id, ExclusionReason.Tied, new Arm(1, 1)),
            wexil.Get<TallyStore>().Apart(tested.Test).Single()
        );
        using var owner = await wexil.OwnerAsync();
        Assert.Contains(
            "From a source that always shows this page",
            await owner.GetStringAsync($"/f/{tested.Funnel.Slug}/tied/count")
        );
    }

    [Fact]
    public async Task A_phone_from_elsewhere_is_tried_out_told_why_and_never_counted()
    {
        var tested = await wexil.StartTestAsync("tried", Weights.Create(0, 100));
        using var owner = await wexil.OwnerAsync();
        var send = $"/f/{tested.Funnel.Slug}/tried/send";
        var fields = new[]
        {
            ("Rows[0].Page", tested.A.Id.Value.ToString()),
            ("Rows[0].Weight", "0"),
            ("Rows[1].Page", tested.B.Id.Value.ToString()),
            ("Rows[1].Weight", "100"),
            ("Who.Countries", "Germany"),
            ("Who.CountriesOut", "true"),
            ("Who.Rules[0].Parameter", "staff"),
            ("Who.Rules[0].Kind", "Present"),
        };
        var refused = await (
            await WexilFixture.PostAsync(owner, send, "Change", [.. fields, ("Who.Languages", "Klingonish")])
        ).Content.ReadAsStringAsync();
        Assert.Equal(["Who.Languages"], Refusals.Of(refused));
        var judged = await (
            await WexilFixture.PostAsync(
                owner,
                send,
                "Judge",
                [.. fields, ("Try.Address", "https://x.example/?staff=1")]
            )
        ).Content.ReadAsStringAsync();
        Assert.Contains("Does not take part: the address has staff. Sees the control.", judged);
        await WexilFixture.PostAsync(owner, send, "Change", fields);
        Assert.Equal(
            "Everyone from everywhere except Germany takes part; excluded when the address has staff.",
            AudienceWording.Say(wexil.Get<TestStore>().Find(tested.Test)!.Settings.Audience)
        );

        var made = WebUtility.HtmlDecode(
            await (
                await WexilFixture.PostAsync(owner, send, "Try", ("Try.Device", "Phone"), ("Try.Country", "DE"))
            ).Content.ReadAsStringAsync()
        );
        var link = Regex.Match(made, "/go/tried\\?wx_try=[^\"]+").Value;
        using var visitor = wexil.Visitor();
        var shown = await visitor.GetStringAsync(link);
        Assert.Contains("Page A", shown);
        Assert.Contains("Does not take part: Germany does not take part.", shown);
        await visitor.GetAsync("/go/tried-thanks");
        Assert.Equal((0, 0), await wexil.CountedAsync(tested.Test));
        Assert.Empty(wexil.Get<TallyStore>().Apart(tested.Test));
        Assert.Equal(HttpStatusCode.NotFound, (await visitor.GetAsync("/go/tried?wx_try=forged")).StatusCode);
    }

    [Fact]
    public async Task A_test_starts_pauses_goes_on_and_ends_by_the_clock_and_the_link_never_dies()
    {
        var tested = await wexil.StartTestAsync("timed", Weights.Create(0, 100));
        var store = wexil.Get<TestStore>();
        await wexil.Get<VerdictStore>().KeepAsync([new(tested.Test, tested.A.Id, "", "{}")], "by hand");
        var from = wexil.Time.GetUtcNow().AddHours(1);
        var id = (
            await store.StartAsync(
                new(
                    tested.Step.Id,
                    tested.Thanks.Id,
                    "Later",
                    "",
                    0.2,
                    0.2,
                    [tested.A.Id, tested.B.Id],
                    Weights.Create(0, 100),
                    TestSettings.Default with
                    {
                        Until = from.AddHours(5),
                    },
                    from
                )
            )
        )!.Value;
        async Task<(string Page, TestState State)> Come()
        {
            using var visitor = wexil.Visitor();
            return (
                (await visitor.GetStringAsync("/go/timed")).Contains("Page B", StringComparison.Ordinal) ? "B" : "A",
                store.Find(id)!.StateAt(wexil.Time.GetUtcNow())
            );
        }
        Assert.Equal(("A", TestState.Scheduled), await Come());
        wexil.Time.Advance(TimeSpan.FromHours(1));
        Assert.Equal(("B", TestState.Running), await Come());
        using var owner = await wexil.OwnerAsync();
        var send = $"/f/{tested.Funnel.Slug}/timed/send";
        await WexilFixture.PostAsync(owner, send, "Pause");
        Assert.Equal(("A", TestState.Paused), await Come());
        Assert.Contains("Paused.", await owner.GetStringAsync(send));
        wexil.Time.Advance(TimeSpan.FromHours(1));
        await WexilFixture.PostAsync(owner, send, "GoOn");
        Assert.Equal(("B", TestState.Running), await Come());
        wexil.Time.Advance(TimeSpan.FromHours(4));
        Assert.Equal(("A", TestState.Over), await Come());
        Assert.Equal((2, 0), await wexil.CountedAsync(id));
        Assert.Equal(["Goes on", "Paused", "Set up to start later"], store.Changes(id).Select(change => change.What));
        Assert.Equal(
            1,
            wexil
                .Get<TallyStore>()
                .Apart(id)
                .Where(arm => arm.Reason == ExclusionReason.NotRunning)
                .Sum(arm => arm.Arm.Visitors) - 1
        );
    }

    [Fact]
    public async Task In_turn_goes_on_where_it_stopped_after_a_start_and_never_strays()
    {
        var tested = await wexil.StartTestAsync("turns", Weights.Create(70, 30));
        var test = wexil.Get<TestStore>().Find(tested.Test)!;
        await wexil
            .Get<TestStore>()
            .ChangeAsync(
                test,
                test.Weights,
                [],
                test.Settings with
                {
                    Allocation = Allocation.Rotation,
                },
                null,
                [("In turn", true)]
            );
        await Task.WhenAll(
            Enumerable
                .Range(0, 57)
                .Select(async _ =>
                {
                    using var visitor = wexil.Visitor();
                    (await visitor.GetAsync("/go/turns")).EnsureSuccessStatusCode();
                    await Task.WhenAll(visitor.GetAsync("/go/turns"), visitor.GetAsync("/go/turns"));
                })
        );
        await wexil.Host.Journal.WhenProjectedAsync();
        var had = wexil.Get<TallyStore>().Turns(tested.Test, wexil.Get<TestStore>().Phases(tested.Test)[^1].Id);
        Assert.InRange(had[tested.A.Id], 39, 40);
        Assert.Equal(57, had.Values.Sum());
        // A keeper that begins anew, as after a start, gives the turns that this one would have given.
        var route = wexil.Get<Routes>().Current.Step("turns")!.Test!;
        Assert.Equal(
            wexil.Get<TurnKeeper>().Upcoming(route, 20),
            new TurnKeeper(wexil.Get<TallyStore>(), wexil.Get<TroubleLog>()).Upcoming(route, 20)
        );
    }

    [Fact]
    public async Task A_page_added_to_a_running_test_begins_a_phase_and_the_rest_stays()
    {
        var tested = await wexil.StartTestAsync("third");
        using var before = wexil.Visitor();
        var page = await before.GetStringAsync("/go/third");
        var third = await wexil
            .Get<PageStore>()
            .AddAsync(tested.Step.Id, "third c", WexilFixture.Bundle("<h1>Page C</h1>"));
        using var owner = await wexil.OwnerAsync();
        var send = $"/f/{tested.Funnel.Slug}/third/send";
        var saved = await WexilFixture.PostAsync(
            owner,
            send,
            "Change",
            ("Rows[0].Page", $"{tested.A.Id.Value}"),
            ("Rows[0].Weight", "0"),
            ("Rows[1].Page", $"{tested.B.Id.Value}"),
            ("Rows[1].Weight", "0"),
            ("Rows[2].Page", $"{third.Value}"),
            ("Rows[2].In", "true"),
            ("Rows[2].Weight", "100")
        );
        Assert.Equal(HttpStatusCode.Redirect, saved.StatusCode);
        using var after = wexil.Visitor();
        Assert.Contains("Page C", await after.GetStringAsync("/go/third"));
        Assert.Equal(page, await before.GetStringAsync("/go/third"));
        Assert.Equal((2, 0), await wexil.CountedAsync(tested.Test));
        Assert.Contains(
            "A page added, weights set to 0/0/100",
            await owner.GetStringAsync($"/f/{tested.Funnel.Slug}/third/count")
        );
    }

    [Fact]
    public async Task An_outside_page_that_fails_twice_rests_until_it_answers_again_and_both_are_phases()
    {
        await wexil.Get<SettingStore>().SetFetchesPrivateAddressesAsync(true);
        var nobody = new Uri($"http://127.0.0.1:{WexilFixture.FreePort()}/b");
        var tested = await wexil.StartTestAsync("watched", Weights.Create(0, 100), nobody);
        var (store, watch) = (wexil.Get<TestStore>(), wexil.Get<PageMonitor>());
        var test = store.Find(tested.Test)!;
        await store.ChangeAsync(test, test.Weights, [], test.Settings with { RestsFailing = true }, null, []);
        using var enrolled = wexil.Visitor();
        Assert.Equal(HttpStatusCode.Redirect, (await enrolled.GetAsync("/go/watched")).StatusCode);
        await watch.LookAsync(CancellationToken.None);
        Assert.Single(store.Phases(tested.Test));
        // With no weight on another page the test stays as it is; with some, the page rests.
        await store.ChangeWeightsAsync(tested.Test, Weights.Create(10, 90));
        await watch.LookAsync(CancellationToken.None);
        Assert.Equal("100/0", store.Phases(tested.Test)[^1].Weights.ToString());
        Assert.Contains("Page A", await enrolled.GetStringAsync("/go/watched"));
        using var owner = await wexil.OwnerAsync();
        Assert.Contains("has not responded since", await owner.GetStringAsync("/"));
        Assert.Contains("no connection", await owner.GetStringAsync($"/f/{tested.Funnel.Slug}/watched/send"));

        await wexil.Get<WatchStore>().SaveAsync([new(tested.B.Id, wexil.Time.GetUtcNow(), 0, null, null)]);
        await store.RestAsync(tested.Test, tested.B.Id, false, "B");
        Assert.Equal(HttpStatusCode.Redirect, (await enrolled.GetAsync("/go/watched")).StatusCode);
        Assert.Equal("10/90", store.Phases(tested.Test)[^1].Weights.ToString());
        Assert.Equal((1, 0), await wexil.CountedAsync(tested.Test));
    }

    [Fact]
    public async Task Costs_are_looked_at_before_they_are_taken_in_and_the_same_file_changes_nothing()
    {
        var tested = await wexil.StartTestAsync("costs");
        var sources = wexil.Get<SourceStore>();
        await sources.SaveAsync(
            tested.Funnel.Id,
            null,
            "ads",
            "Ads",
            SourceKind.Ad,
            null,
            new Dictionary<StepId, PageId>()
        );
        using var owner = await wexil.OwnerAsync();
        var screen = $"/f/{tested.Funnel.Slug}/sources";
        const string file = """
            date,source,spend,currency
            2040-11-01,ads,84.20,USD
            2040-11-02,ads,12.345,USD
            2040-11-03,nobody,1,
            2040-11-04,ads,1,ZAR
            2040-11-05,ads,"1,200.00",
            2040-11-01,ads,5,
            """;
        var preview = WexilFixture.Read(
            await (await WexilFixture.PostAsync(owner, screen, "Costs", ("Csv", file))).Content.ReadAsStringAsync()
        );
        foreach (
            var sentence in new[]
            {
                "Write the amount like 12.50.",
                "No source has the tag nobody.",
                "There is no exchange rate for ZAR on that day.",
                "are in the file twice",
                "2 to import, 0 without change, 4 unreadable",
            }
        )
            Assert.Contains(sentence, preview);
        Assert.Empty(sources.Costs(tested.Funnel.Id));
        await WexilFixture.PostAsync(owner, screen, "TakeIn", ("Csv", file));
        await WexilFixture.PostAsync(owner, screen, "TakeIn", ("Csv", file));
        Assert.Equal(84_20 + 1200_00, sources.Costs(tested.Funnel.Id).Values.Sum());
        Assert.Contains(
            "Choose the column for the amount spent.",
            await (
                await WexilFixture.PostAsync(owner, screen, "Costs", ("Csv", "date,source\n"))
            ).Content.ReadAsStringAsync()
        );
        // A file goes the same way; one that is too long is said by its field, and nothing is read.
        foreach (
            var (bytes, says) in new[]
            {
                (Encoding.UTF8.GetBytes(file), "no change"),
                (new byte[(512 << 10) + 1], "The file is larger than 512 KB."),
            }
        )
        {
            using var form = new MultipartFormDataContent
            {
                { new ByteArrayContent(bytes), "Upload", "costs.csv" },
                { new StringContent(await WexilFixture.TokenAsync(owner, screen)), "__RequestVerificationToken" },
            };
            Assert.Contains(
                says,
                await (await owner.PostAsync(screen + "?handler=Costs", form)).Content.ReadAsStringAsync()
            );
        }
    }

    [Fact]
    public async Task Costs_are_read_as_an_ad_account_writes_them_in_its_currency_and_beside_a_cost_per_click()
    {
        var tested = await wexil.StartTestAsync("account");
        var sources = wexil.Get<SourceStore>();
        foreach (var (tag, click) in new[] { ("ads", (long?)null), ("clicks", 35) })
            await sources.SaveAsync(
                tested.Funnel.Id,
                null,
                tag,
                tag,
                SourceKind.Ad,
                click,
                new Dictionary<StepId, PageId>()
            );
        await wexil.Get<RateStore>().SetAsync(new(Currency.Find("EUR")!, new(2040, 11, 3), 1.25m));
        using var owner = await wexil.OwnerAsync();
        var screen = $"/f/{tested.Funnel.Slug}/sources";
        const string file = """
            sep=;
            Day;Campaign name;Amount spent (EUR);Impressions
            03.11.2040;ads;1.204,50;8.112
            04.11.2040;clicks;20,00;1.000
            02.11.2040;ads;10,00;2
            10.11.2040;ads;10,00;2
            """;
        var preview = WexilFixture.Read(
            await (
                await WexilFixture.PostAsync(owner, screen, "Costs", ("Csv", $"\ufeff{file}"))
            ).Content.ReadAsStringAsync()
        );
        foreach (
            var sentence in new[]
            {
                "€1,204.50 = $1,505.63",
                "new; added to the cost per click",
                "There is no exchange rate for EUR on that day.",
                "This date is in the future.",
                "2 to import, 0 without change, 2 unreadable",
            }
        )
            Assert.Contains(sentence, preview);
        await WexilFixture.PostAsync(owner, screen, "TakeIn", ("Csv", file));
        Assert.Equal(
            [(new DateOnly(2040, 11, 3), 150_563L), (new(2040, 11, 4), 2500)],
            sources.Costs(tested.Funnel.Id).Select(cost => (cost.Key.Day, cost.Value)).Order()
        );
        Assert.Contains(
            "per click and by day, added up",
            Regex.Replace(await owner.GetStringAsync(screen), @"\s+", " ")
        );
    }

    [Fact]
    public async Task The_links_parameters_stop_there_and_hosted_pages_are_redirected_to_when_the_owner_says_so()
    {
        var tested = await wexil.StartTestAsync(
            "handed",
            Weights.Create(50, 50),
            new("https://shop.larkrow.example/b")
        );
        using var owner = await wexil.OwnerAsync();
        await WexilFixture.PostAsync(
            owner,
            $"/f/{tested.Funnel.Slug}/handed/send",
            "Link",
            ("Carries", "None"),
            ("Redirects", "true")
        );
        var seen = new HashSet<string>();
        while (seen.Count < 2)
        {
            using var visitor = wexil.Visitor();
            var to = (await visitor.GetAsync("/go/handed?a=1")).Headers.Location!;
            Assert.DoesNotContain("a=1", to.OriginalString);
            seen.Add(to.IsAbsoluteUri ? "outside" : to.OriginalString);
        }
        Assert.Contains($"/p/{tested.A.Slug}/", seen);
    }
}
