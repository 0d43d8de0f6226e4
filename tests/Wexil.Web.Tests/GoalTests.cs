using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using CsCheck;
using Microsoft.Extensions.Logging.Abstractions;
using Wexil.App;
using Wexil.App.Background;
using Wexil.App.Installation;
using Wexil.App.Outbox;
using Wexil.App.Visits;
using Wexil.Core.Common;
using Wexil.Core.Goals;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Retention;

namespace Wexil.Web.Tests;

/// <summary>Goals as pages, servers and the owner meet them.</summary>
public sealed class GoalTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    [Fact]
    public async Task A_signal_earns_its_own_worth_from_a_browser_and_what_is_told_from_a_server()
    {
        var tested = await wexil.StartTestAsync(
            "signalled",
            Weights.Create(0, 100),
            outsideThanks: new("https://till.larkrow.example/signalled")
        );
        await wexil.Get<SecretStore>().RenewHookSecretAsync();
        var key = wexil.Get<SecretStore>().ServerKeys[0];
        var goal = await AddAsync(tested, new(GoalKind.Signal, "Asked") { Value = 100, EveryTime = true });
        var told = await AddAsync(tested, new(GoalKind.Signal, "Paid") { ValueComes = true });
        using var visitor = wexil.Visitor();
        await visitor.GetAsync("/go/signalled");
        using var picture = new HttpRequestMessage(HttpMethod.Get, $"/signal/{goal.Key}?value=999999");
        picture.Headers.Accept.ParseAdd("image/avif,image/webp,*/*;q=0.8");
        var image = await visitor.SendAsync(picture);
        Assert.Equal("image/gif", image.Content.Headers.ContentType!.MediaType);
        Assert.Equal(HttpStatusCode.NoContent, (await visitor.PostAsync($"/signal/{goal.Key}", null)).StatusCode);

        var token = AddressQuery.Value((await visitor.GetAsync("/go/signalled-thanks")).Headers.Location!.Query, "wx")!;
        wexil.Time.Advance(TimeSpan.FromDays(1));
        using var server = wexil.Visitor();
        for (var i = 0; i < 2; i++)
        {
            using var post = new HttpRequestMessage(HttpMethod.Post, $"/signal/{told.Key}")
            {
                Content = JsonContent.Create(
                    new
                    {
                        wx = token,
                        value = "39.50",
                        currency = "USD",
                        order = "SIG-1",
                    }
                ),
            };
            post.Headers.Add("X-Wexil-Key", key);
            Assert.Equal(HttpStatusCode.OK, (await server.SendAsync(post)).StatusCode);
        }
        foreach (
            var (wrong, status) in new[]
            {
                ($"/signal/{told.Key}?key=guess&value=5", HttpStatusCode.Forbidden),
                ($"/signal/{told.Key}?key={key}&value=5,5", HttpStatusCode.BadRequest),
                ("/signal/none", HttpStatusCode.NotFound),
            }
        )
            Assert.Equal(status, (await server.GetAsync(wrong)).StatusCode);
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Equal(
            [(goal.Id, 2L, 200L), (told.Id, 1, 3950)],
            wexil.Get<TallyStore>().Goals(tested.Test).Select(tally => (tally.Goal, tally.Times, tally.Value))
        );
        Assert.Equal(
            3950,
            wexil.Get<TallyStore>().Money(wexil.Get<TestStore>().Find(tested.Test)!, Currency.Default)[1].Revenue.Sum
        );

        using var owner = await wexil.OwnerAsync();
        Assert.Contains(
            "For information; the verdict uses",
            await owner.GetStringAsync($"/f/{tested.Funnel.Slug}/signalled/count?by={told.Id.Value}")
        );
        var csv = await owner.GetStringAsync($"/f/{tested.Funnel.Slug}/signalled/count/results.csv");
        Assert.Contains(",Paid,1,1,1,39.50,0,0.00,USD", csv);
        var rows = (await owner.GetFromJsonAsync<JsonElement>($"/f/{tested.Funnel.Slug}/signalled/count/results.json"))
            .GetProperty("rows")
            .GetArrayLength();
        Assert.Equal(6, rows);
        var events = (await owner.GetStringAsync($"/f/{tested.Funnel.Slug}/signalled/count/events.ndjson"))
            .TrimEnd()
            .Split('\n')
            .Select(line => JsonDocument.Parse(line).RootElement.GetProperty("kind").GetString())
            .ToArray();
        Assert.Equal(3, events.Count(kind => kind == "met"));
    }

    [Fact]
    public async Task A_signal_in_another_currency_is_worth_its_rate_or_is_refused_and_changes_nothing()
    {
        var tested = await wexil.StartTestAsync(
            "priced",
            Weights.Create(0, 100),
            outsideThanks: new("https://till.larkrow.example/priced")
        );
        await wexil.Get<SecretStore>().RenewHookSecretAsync();
        var key = wexil.Get<SecretStore>().ServerKeys[0];
        var goal = await AddAsync(tested, new(GoalKind.Signal, "Paid") { ValueComes = true });
        using var visitor = wexil.Visitor();
        await visitor.GetAsync("/go/priced");
        var token = AddressQuery.Value((await visitor.GetAsync("/go/priced-thanks")).Headers.Location!.Query, "wx")!;
        using var server = wexil.Visitor();
        Task<HttpResponseMessage> Say(string order) =>
            server.GetAsync($"/signal/{goal.Key}?key={key}&wx={token}&value=20.00&currency=NOK&order={order}");
        async Task<long> Worth()
        {
            await wexil.Host.Journal.WhenProjectedAsync();
            return wexil.Get<TallyStore>().Goals(tested.Test).Sum(tally => tally.Value);
        }

        var refused = await Say("N-1");
        Assert.Equal(HttpStatusCode.BadRequest, refused.StatusCode);
        Assert.Equal(
            "currency",
            (await refused.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("field").GetString()
        );
        Assert.Equal(0, await Worth());
        Assert.Empty(wexil.Get<SaleStore>().Find("N-1"));

        await wexil.Get<RateStore>().SetAsync(new(Currency.Find("NOK")!, new(2040, 11, 1), 0.1m));
        Assert.Equal(HttpStatusCode.OK, (await Say("N-1")).StatusCode);
        Assert.Equal(200, await Worth());
        Assert.Equal(2000, wexil.Get<SaleStore>().Find("N-1")["NOK"].Sold);
    }

    [Fact]
    public async Task The_script_tells_of_addresses_is_told_what_to_watch_and_says_how_long_somebody_stayed()
    {
        var tested = await wexil.StartTestAsync("watched", Weights.Create(100, 0));
        var address = await AddAsync(
            tested,
            new(GoalKind.Address, "Thanks") { Address = new(AddressMatch.Begins, "/go/watched", false) }
        );
        var click = await AddAsync(tested, new(GoalKind.Click, "Buy") { Element = "#buy" });
        using var visitor = wexil.Visitor();
        Assert.Contains($"data-page=\"{tested.A.Slug}\"", await visitor.GetStringAsync("/go/watched"));
        Task<HttpResponseMessage> Say(string path, object message) =>
            visitor.PostAsync(path, JsonContent.Create(message, options: JsonSerializerOptions.Web));
        var page = $"{wexil.Visitors}go/watched";
        var answer = await (
            await Say("/reached", new { page, at = tested.A.Slug })
        ).Content.ReadFromJsonAsync<JsonElement>();
        Assert.Equal(
            (click.Key, "#buy"),
            (
                answer.GetProperty("clicks")[0].GetProperty("key").GetString(),
                answer.GetProperty("clicks")[0].GetProperty("element").GetString()
            )
        );
        await Say($"/signal/{click.Key}", new { page, at = tested.A.Slug });
        await Say(
            "/stay",
            new
            {
                page,
                at = tested.A.Slug,
                milliseconds = 5000,
                engaged = false,
            }
        );
        await Say(
            "/stay",
            new
            {
                page,
                at = tested.A.Slug,
                milliseconds = 1e300,
                engaged = true,
            }
        );
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Equal(
            [(address.Id, 1L), (click.Id, 1)],
            wexil
                .Get<TallyStore>()
                .Goals(tested.Test)
                .OrderBy(tally => tally.Goal.Value)
                .Select(tally => (tally.Goal, tally.Visitors))
        );
        var stay = wexil.Get<TallyStore>().Stays(tested.Test).Single();
        Assert.Equal((1, 1, TimeSpan.FromHours(1) + TimeSpan.FromSeconds(5)), (stay.Visitors, stay.Engaged, stay.Time));
        // The visit itself was counted when the page was served, and once.
        Assert.Equal((1, 0), await wexil.CountedAsync(tested.Test));
    }

    [Fact]
    public async Task Nothing_that_anybody_sends_to_the_public_addresses_breaks_them_or_is_stored()
    {
        var tested = await wexil.StartTestAsync("fuzzed");
        var goal = await AddAsync(tested, new(GoalKind.Signal, "Asked"));
        using var stranger = wexil.Visitor();
        long Events() =>
            wexil.Host.Database.Read(c =>
            {
                using var command = c.CreateCommand();
                command.CommandText = "SELECT count(*) FROM events";
                return (long)command.ExecuteScalar()!;
            });
        await wexil.Host.Journal.WhenProjectedAsync();
        var before = Events();
        string[] paths =
        [
            "/reached",
            "/stay",
            $"/signal/{goal.Key}",
            "/signal/x",
            "/hooks/sale",
            $"/p/{tested.A.Slug}/opt-in",
            "/share/x/check/y",
        ];
        var bodies = Gen.OneOf(
            Gen.String,
            Gen.Const("{}"),
            Gen.Const("null"),
            Gen.Const("[1]"),
            Gen.String.Select(text =>
                JsonSerializer.Serialize(
                    new
                    {
                        page = text,
                        visitor = text,
                        wx = text,
                        at = text,
                        milliseconds = -1,
                    }
                )
            ),
            Gen.Const("{\"page\":\"http://x/\",\"milliseconds\":\"many\"}")
        );
        await Gen.Select(
                Pick(paths),
                bodies,
                Pick(
                    "application/json",
                    "text/plain",
                    "application/x-www-form-urlencoded",
                    "multipart/form-data; boundary=x"
                )
            )
            .AlwaysHoldsAsync(
                async (path, body, type) =>
                {
                    using var content = new StringContent(body);
                    content.Headers.ContentType = System.Net.Http.Headers.MediaTypeHeaderValue.Parse(type);
                    var status = (int)(await stranger.PostAsync(path, content)).StatusCode;
                    Assert.True(status is >= 200 and < 500, $"{status} from {path} for {body}");
                },
                iter: 300
            );
        await Gen.Select(
                Pick(
                    "/signal/",
                    "/go/",
                    "/p/",
                    "/buy/",
                    "/no/",
                    "/share/",
                    "/report/",
                    "/confirm/",
                    "/a/",
                    "/start/",
                    "/mine/",
                    "/draft/"
                ),
                Gen.String[0, 30]
            )
            .AlwaysHoldsAsync(
                async (path, tail) =>
                {
                    var status = (int)(await stranger.GetAsync(path + Uri.EscapeDataString(tail))).StatusCode;
                    Assert.True(status < 500, $"{status} from {path}{tail}");
                },
                iter: 300
            );
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Equal(before, Events());
    }

    [Fact]
    public async Task The_owner_adds_goals_tries_an_address_and_is_told_what_is_wrong()
    {
        var tested = await wexil.StartTestAsync("aimed");
        using var owner = await wexil.OwnerAsync();
        var page = $"/f/{tested.Funnel.Slug}/aimed/goals";
        var wrong = await (
            await WexilFixture.PostAsync(
                owner,
                page,
                "Add",
                ("Form.Kind", "Click"),
                ("Form.Element", "a[["),
                ("Form.Window", "400"),
                ("Form.Value", "1,5")
            )
        ).Content.ReadAsStringAsync();
        Assert.Equal(["Form.Element", "Form.Value", "Form.Window"], Refusals.Of(wrong));
        Assert.Contains("a[[", wrong);
        Assert.Contains(
            "differs only in upper and lower case",
            await (
                await WexilFixture.PostAsync(
                    owner,
                    page,
                    "Try",
                    ("Form.Match", "Exact"),
                    ("Form.Address", "/Thanks"),
                    ("TryAddress", "https://larkrow.example/thanks")
                )
            ).Content.ReadAsStringAsync()
        );
        Assert.Empty(wexil.Get<GoalStore>().ForTest(tested.Test));
        await WexilFixture.PostAsync(
            owner,
            page,
            "Add",
            ("Form.Kind", "Address"),
            ("Form.Match", "Begins"),
            ("Form.Address", "/thanks"),
            ("Form.Value", "12.50")
        );
        var goal = wexil.Get<GoalStore>().ForTest(tested.Test).Single();
        Assert.Equal((GoalKind.Address, 1250L), (goal.Goal.Kind, goal.Goal.Value));
        Assert.Contains("begins with /thanks, valued at $12.50", await owner.GetStringAsync(page));
        await WexilFixture.PostAsync(owner, page, "Drop", ("goal", $"{goal.Id.Value}"));
        Assert.Empty(wexil.Get<GoalStore>().ForTest(tested.Test));
    }

    [Fact]
    public async Task A_form_that_a_program_fills_in_is_held_and_the_program_learns_nothing()
    {
        var tested = await wexil.StartTestAsync("trapped", Weights.Create(100, 0));
        async Task<string> Send(TimeSpan after, params (string Name, string Value)[] more)
        {
            using var visitor = wexil.Visitor();
            Assert.Contains("name=\"wx_leave_empty\"", await visitor.GetStringAsync("/go/trapped"));
            wexil.Time.Advance(after);
            var answer = await visitor.PostAsync(
                $"/p/{tested.A.Slug}/opt-in",
                new FormUrlEncodedContent(
                    more.Append(("email", $"{Guid.NewGuid():n}@trap.example"))
                        .Select(field => KeyValuePair.Create(field.Item1, field.Item2))
                )
            );
            await visitor.GetAsync(answer.Headers.Location);
            return answer.Headers.Location!.ToString();
        }
        Assert.Equal(
            "/go/trapped-thanks",
            await Send(TimeSpan.FromSeconds(9), ("wx_leave_empty", "http://buy.example"))
        );
        // A browser that fills in the form by itself is quick, and a person's.
        Assert.Equal("/go/trapped-thanks", await Send(TimeSpan.FromMilliseconds(300)));
        Assert.Equal("/go/trapped-thanks", await Send(TimeSpan.FromSeconds(9), ("wx_leave_empty", "")));
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Equal(2, wexil.Get<PeopleStore>().Count(new("trap.example")));
        Assert.Equal((3, 2), await wexil.CountedAsync(tested.Test));
        Assert.Equal(1, wexil.Get<TallyStore>().LeftOut(tested.Step.Id)[NotCountedReason.Robot]);

        // What was held can be taken in: once, and at the time when it came.
        using var owner = await wexil.OwnerAsync();
        var held = Assert.Single(wexil.Get<HeldOptInStore>().Newest(9));
        Assert.Contains(held.Email, await owner.GetStringAsync("/people"));
        await WexilFixture.PostAsync(owner, "/people", "TakeIn", ("id", $"{held.Id}"));
        await WexilFixture.PostAsync(owner, "/people", "TakeIn", ("id", $"{held.Id}"));
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Equal(3, wexil.Get<PeopleStore>().Count(new("trap.example")));
        // The file ends with its last row, and no screen follows it.
        var csv = await owner.GetStringAsync("/people?handler=Csv&text=trap.example");
        Assert.Equal(4, csv.TrimEnd().Split('\n').Length);
        Assert.DoesNotContain("<", csv);
        Assert.Equal(0, wexil.Get<HeldOptInStore>().Count());
        Assert.DoesNotContain("Opt-ins on hold", await owner.GetStringAsync("/people"));
    }

    [Fact]
    public async Task Forged_cookies_of_any_time_and_links_in_capitals_are_served()
    {
        var tested = await wexil.StartTestAsync("forged", Weights.Create(100, 0));
        foreach (var first in new byte[] { 0x00, 0x7F, 0xFF })
        {
            var bytes = Enumerable.Repeat(first, 16).ToArray();
            bytes[6] = 0x70;
            using var visitor = wexil.Visitor(cookies: false);
            visitor.DefaultRequestHeaders.Add(
                "Cookie",
                $"wx_visitor={System.Buffers.Text.Base64Url.EncodeToString(bytes)}"
            );
            Assert.Equal(HttpStatusCode.OK, (await visitor.GetAsync("/go/FORGED")).StatusCode);
            Assert.Equal(HttpStatusCode.OK, (await visitor.GetAsync($"/p/{tested.A.Slug}/")).StatusCode);
            var answer = await visitor.PostAsync(
                $"/p/{tested.A.Slug}/opt-in",
                new FormUrlEncodedContent([new("email", "eve@forged.example")])
            );
            Assert.Equal(HttpStatusCode.SeeOther, answer.StatusCode);
        }
    }

    [Fact]
    public async Task An_opt_in_goes_on_to_the_mail_service_until_it_answers_and_whoever_is_asked_confirms_the_address()
    {
        await wexil.Get<SettingStore>().SetFetchesPrivateAddressesAsync(true);
        var tested = await wexil.StartTestAsync("forwarded", Weights.Create(100, 0));
        using var listener = new HttpListener();
        var service = $"http://127.0.0.1:{WexilFixture.FreePort()}/";
        listener.Prefixes.Add(service);
        using var owner = await wexil.OwnerAsync();
        var screen = $"/f/{tested.Funnel.Slug}/forwarded/opt-ins";
        Assert.Contains(
            "Not valid: nonsense",
            await (
                await WexilFixture.PostAsync(owner, screen, "", ("ForwardTo", service), ("Fields", "nonsense"))
            ).Content.ReadAsStringAsync()
        );
        Assert.Equal(
            HttpStatusCode.Redirect,
            (
                await WexilFixture.PostAsync(
                    owner,
                    screen,
                    "",
                    ("ForwardTo", service),
                    ("Fields", "email = EMAIL\nname = FNAME"),
                    ("Confirms", "true"),
                    ("Subject", "Is it you?")
                )
            ).StatusCode
        );

        using var visitor = wexil.Visitor();
        await visitor.GetAsync("/go/forwarded");
        await visitor.PostAsync(
            $"/p/{tested.A.Slug}/opt-in",
            new FormUrlEncodedContent([
                new("email", "eve@forward.example"),
                new("name", "Eve & Ivo"),
                new("telephone", "+49 30 1234"),
                new("message", new string('m', 9000)),
            ])
        );
        await wexil.Host.Journal.WhenProjectedAsync();
        var outbox = wexil.Get<OutboxDelivery>();
        await outbox.SendDueAsync(default);
        var outgoing = wexil.Get<OutboxStore>();
        Assert.Equal((1L, 0L), (outgoing.State(tested.Step.Id).Waiting, outgoing.State(tested.Step.Id).Failed));
        Assert.Contains("No connection", await owner.GetStringAsync(screen));
        // What else was filled in stands with the person, a very long message to its eight thousandth letter.
        var person = WebUtility.HtmlDecode(await owner.GetStringAsync("/people/one?email=eve@forward.example"));
        Assert.Contains("Eve & Ivo", person, StringComparison.Ordinal);
        Assert.Contains("+49 30 1234", person, StringComparison.Ordinal);
        Assert.Contains(new string('m', 8000), person, StringComparison.Ordinal);
        Assert.DoesNotContain(new string('m', 8001), person, StringComparison.Ordinal);

        listener.Start();
        var received = Task.Run(async () =>
        {
            var call = await listener.GetContextAsync();
            var body = await new StreamReader(call.Request.InputStream).ReadToEndAsync();
            call.Response.Close();
            return body;
        });
        wexil.Time.Advance(TimeSpan.FromMinutes(2));
        await outbox.SendDueAsync(default);
        Assert.Equal("EMAIL=eve%40forward.example&FNAME=Eve+%26+Ivo", await received);
        Assert.Equal((0L, 0L), (outgoing.State(tested.Step.Id).Waiting, outgoing.State(tested.Step.Id).Failed));
        // Counting again sends nothing again.
        await wexil.Host.Journal.RecountAsync();
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Empty(outgoing.Waiting(10));

        var letter = wexil.Get<MailSender>().Simulated().Single(letter => letter.To == "eve@forward.example");
        Assert.Equal("Is it you?", letter.Subject);
        var link = new Uri(
            letter.Words.Split('\n').Single(line => line.StartsWith("http", StringComparison.Ordinal)).Trim()
        );
        // Looking at the link alone confirms nothing.
        Assert.Contains("Is this your e-mail address?", await visitor.GetStringAsync(link.PathAndQuery));
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.DoesNotContain(wexil.Get<ActivityStore>().For("eve@forward.example"), activity =>
            activity is Activity.ConfirmedAddress
        );
        Assert.Equal(HttpStatusCode.OK, (await visitor.PostAsync(link.PathAndQuery, null)).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await visitor.PostAsync("/confirm/guess", null)).StatusCode);
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Contains(wexil.Get<ActivityStore>().For("eve@forward.example"), activity =>
            activity is Activity.ConfirmedAddress
        );
        await wexil.Get<PersonRemoval>().RemoveAsync("eve@forward.example");
        await wexil.Get<SettingStore>().SetFetchesPrivateAddressesAsync(false);
    }

    [Fact]
    public async Task Who_asks_to_be_left_alone_gets_no_cookie_and_is_not_counted_unless_the_owner_says_otherwise()
    {
        var tested = await wexil.StartTestAsync("private", Weights.Create(0, 100));
        using var visitor = wexil.Visitor();
        visitor.DefaultRequestHeaders.Add("Sec-GPC", "1");
        var answer = await visitor.GetAsync("/go/private");
        Assert.False(answer.Headers.Contains("Set-Cookie"));
        Assert.Contains("Page A", await answer.Content.ReadAsStringAsync());
        await visitor.PostAsync(
            $"/p/{tested.A.Slug}/opt-in",
            new FormUrlEncodedContent([new("email", "quiet@private.example")])
        );
        Assert.Equal((0, 0), await wexil.CountedAsync(tested.Test));
        Assert.Equal(2, wexil.Get<TallyStore>().LeftOut(tested.Step.Id)[NotCountedReason.Private]);
        Assert.Equal(1, wexil.Get<PeopleStore>().Count(new("private.example")));
        await wexil.Get<SettingStore>().SetHeedsPrivacyControlAsync(false);
        await visitor.GetAsync("/go/private");
        Assert.Equal((1, 0), await wexil.CountedAsync(tested.Test));
        await wexil.Get<SettingStore>().SetHeedsPrivacyControlAsync(true);
    }

    [Fact]
    public async Task Who_looks_after_the_site_sees_the_lines_checks_a_page_and_is_shut_out_once_the_link_is_withdrawn()
    {
        var tested = await wexil.StartTestAsync("helped", outsideThanks: new("http://127.0.0.1:9/helped"));
        var token = await wexil.Get<InstallationStore>().Links.MakeAsync(tested.Funnel.Id.Value);
        using var helper = wexil.Visitor();
        var page = await helper.GetStringAsync($"/share/{token}");
        Assert.Contains($"{wexil.Get<VisitorsAddress>().Origin}/wexil.js", page);
        Assert.Equal(
            HttpStatusCode.SeeOther,
            (await helper.PostAsync($"/share/{token}/check/{tested.End.Slug}", null)).StatusCode
        );
        Assert.Contains("not looked at", await helper.GetStringAsync($"/share/{token}"));
        Assert.Equal(
            HttpStatusCode.NotFound,
            (await helper.PostAsync($"/share/{token}/check/{tested.A.Slug}", null)).StatusCode
        );

        using var owner = await wexil.OwnerAsync();
        var link = wexil.Get<InstallationStore>().Links.For(tested.Funnel.Id.Value).Single();
        await WexilFixture.PostAsync(owner, $"/f/{tested.Funnel.Slug}/wiring", "Withdraw", ("link", $"{link.Id}"));
        Assert.Equal(HttpStatusCode.NotFound, (await helper.GetAsync($"/share/{token}")).StatusCode);
        var second = await wexil.Get<InstallationStore>().Links.MakeAsync(tested.Funnel.Id.Value);
        wexil.Time.Advance(TimeSpan.FromDays(15));
        Assert.Equal(HttpStatusCode.NotFound, (await helper.GetAsync($"/share/{second}")).StatusCode);
    }

    [Fact]
    public async Task When_a_page_was_last_seen_is_the_same_at_both_doors_and_after_a_start()
    {
        var tested = await wexil.StartTestAsync("seen", outsideB: new("https://larkrow.example/seen"));
        using var visitor = wexil.Visitor();
        await visitor.PostAsync(
            "/reached",
            JsonContent.Create(
                new
                {
                    page = "https://larkrow.example/seen",
                    visitor = VisitorId.New(wexil.Time.GetUtcNow(), new SeededChance(77)).ToString(),
                }
            )
        );
        var seen = wexil.Get<LastSeen>();
        Assert.Equal(wexil.Time.GetUtcNow(), seen.Last(tested.B.Id));
        await seen.WriteAsync();
        using var restarted = new LastSeen(
            wexil.Get<InstallationStore>(),
            wexil.Get<BackgroundProblems>(),
            wexil.Get<YieldingThreads>(),
            wexil.Time,
            NullLogger<LastSeen>.Instance
        );
        Assert.Equal(seen.Last(tested.B.Id), restarted.Last(tested.B.Id));
        Assert.Null(restarted.Last(tested.A.Id));
    }

    private async Task<TestGoalRow> AddAsync(TestedStep tested, Goal goal)
    {
        Assert.True(await wexil.Get<GoalStore>().AddAsync(tested.Test, goal));
        return wexil.Get<GoalStore>().ForTest(tested.Test)[^1];
    }

    private static Gen<string> Pick(params string[] from) => Gen.Int[0, from.Length - 1].Select(i => from[i]);
}
