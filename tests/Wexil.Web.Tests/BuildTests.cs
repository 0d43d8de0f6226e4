using System.IO.Compression;
using System.Net;
using System.Text;
using System.Text.Json;
using Wexil.App;
using Wexil.App.Tickets;
using Wexil.App.Visits;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Store;

namespace Wexil.Web.Tests;

/// <summary>Pages made, changed, published and carried over; what visitors see of it and what they do not.</summary>
public sealed class BuildTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    [Fact]
    public async Task A_page_is_put_away_taken_out_moved_and_deleted_and_a_running_test_is_asked_about_first()
    {
        var tested = await wexil.StartTestAsync("shelf");
        var pages = wexil.Get<PageStore>();
        using HttpClient owner = await wexil.OwnerAsync(),
            visitor = wexil.Visitor();
        const string build = "/f/shelf/shelf/build";
        var third = pages.Find(await pages.CloneAsync(tested.A, "Third of the shelf"))!;
        var test = wexil.Get<TestStore>().Find(tested.Test)!;
        await wexil.Get<TestStore>().ChangeAsync(test, Weights.Create(40, 40, 20), [third.Id], test.Settings, null, []);
        async Task<string> PostAsync(string handler, params (string, string)[] fields)
        {
            var answer = await WexilFixture.PostAsync(owner, build, handler, fields);
            return WebUtility.HtmlDecode(
                answer.StatusCode == HttpStatusCode.Redirect
                    ? await owner.GetStringAsync(build)
                    : await answer.Content.ReadAsStringAsync()
            );
        }
        string Id(Page page) => $"{page.Id.Value}";
        Assert.Contains(
            "control of the running test",
            await PostAsync("Archive", ("id", Id(tested.A))),
            StringComparison.Ordinal
        );
        Assert.Contains(
            "Archive “Third of the shelf”?",
            await PostAsync("Archive", ("id", Id(third))),
            StringComparison.Ordinal
        );
        Assert.Equal(2, wexil.Get<TestStore>().Phases(tested.Test).Count(phase => phase.Weights.Count >= 2));
        var put = await PostAsync("Archive", ("id", Id(third)), ("confirmed", "true"));
        Assert.Contains("A new phase has begun.", put, StringComparison.Ordinal);
        Assert.Contains("Archived: 1 page", put, StringComparison.Ordinal);
        Assert.Matches(">Restore<span[^>]*>\\s*“Third of the shelf”", put);
        Assert.Equal(0, wexil.Get<Routes>().Current.Step("shelf")!.Test!.Weights[2]);
        Assert.Contains(
            "Third of the shelf",
            await owner.GetStringAsync("/f/shelf/shelf/send"),
            StringComparison.Ordinal
        );
        Assert.Contains("Page A", await visitor.GetStringAsync($"/p/{third.Slug}/"), StringComparison.Ordinal);
        Assert.Contains("is restored.", await PostAsync("Restore", ("id", Id(third))), StringComparison.Ordinal);

        var idle = pages.Find(await pages.CloneAsync(tested.A, "Idle"))!;
        Assert.Contains(
            "Choose a step",
            await PostAsync("Archive", ("id", Id(idle)), ("to", "0")),
            StringComparison.Ordinal
        );
        Assert.Contains(
            "“Idle” moved to “Thanks”.",
            await PostAsync("Archive", ("id", Id(idle)), ("to", $"{tested.Thanks.Id.Value}")),
            StringComparison.Ordinal
        );
        Assert.Equal(tested.Thanks.Id, pages.Find(idle.Id)!.Step);
        await pages.CloneAsync(tested.A, "Never seen");
        var never = pages.ForStep(tested.Step.Id).Single(page => page.Name == "Never seen");
        Assert.Contains(
            "Visitors have seen this page",
            await PostAsync("Delete", ("id", Id(third))),
            StringComparison.Ordinal
        );
        Assert.Contains(
            "“Never seen” is deleted.",
            await PostAsync("Delete", ("id", Id(never))),
            StringComparison.Ordinal
        );
        Assert.Null(pages.Find(never.Id));
    }

    [Fact]
    public async Task Visitors_see_only_what_was_published_and_publishing_in_a_test_starts_a_phase()
    {
        var tested = await wexil.StartTestAsync("drafted");
        using var owner = await wexil.OwnerAsync();
        using var visitor = wexil.Visitor();
        var editor = $"/f/drafted/drafted/build/{tested.A.Slug}";
        var answer = await EditAsync(owner, editor, 0, ("kind", "text"), ("node", "1"), ("html", "New headline"));
        Assert.Equal(1, answer.GetProperty("revision").GetInt32());
        Assert.Contains("Page A", await visitor.GetStringAsync($"/p/{tested.A.Slug}/?try=1"));
        Assert.Contains("not published", await owner.GetStringAsync($"{editor}/versions"));

        var phases = wexil.Get<TestStore>().Phases(tested.Test).Count;
        Assert.Equal(
            $"{editor}/publish",
            (await WexilFixture.PostAsync(owner, editor, "Publish")).Headers.Location!.ToString()
        );
        Assert.Equal(phases, wexil.Get<TestStore>().Phases(tested.Test).Count);
        var question = await owner.GetStringAsync($"{editor}/publish");
        Assert.Contains("new phase", question);
        Assert.Contains("Headline: “Page A” → “New headline”", WebUtility.HtmlDecode(question));
        await WexilFixture.PostAsync(owner, $"{editor}/publish", "", ("Note", "With a date"));
        Assert.Equal(phases + 1, wexil.Get<TestStore>().Phases(tested.Test).Count);
        Assert.Contains("New headline", await visitor.GetStringAsync($"/p/{tested.A.Slug}/?try=1"));

        // The first version is brought back as a draft, compared, and published again.
        await WexilFixture.PostAsync(owner, $"{editor}/versions", "Restore", ("number", "1"));
        Assert.Contains("New headline", await visitor.GetStringAsync($"/p/{tested.A.Slug}/?try=1"));
        Assert.Contains(
            "“New headline” → “Page A”",
            WebUtility.HtmlDecode(await owner.GetStringAsync($"{editor}/compare?from=2"))
        );
        await WexilFixture.PostAsync(owner, $"{editor}/publish", "");
        Assert.Contains("Page A", await visitor.GetStringAsync($"/p/{tested.A.Slug}/?try=1"));
        Assert.Equal([3, 2, 1], wexil.Get<PageStore>().Versions(tested.A.Id).Select(version => version.Number));
    }

    [Fact]
    public async Task Every_edit_can_be_undone_and_done_again_and_none_is_made_over_somebody_elses()
    {
        var tested = await wexil.StartTestAsync("undone");
        using var owner = await wexil.OwnerAsync();
        var editor = $"/f/undone/undone/build/{tested.B.Slug}";
        string Source() => wexil.Get<DraftStore>().For(wexil.Get<PageStore>().Find(tested.B.Id)!).Source;
        var sources = new List<string> { Source() };
        for (var i = 0; i < 5; i++)
        {
            await EditAsync(owner, editor, i, ("kind", "text"), ("node", "0"), ("html", $"Headline {i}"));
            sources.Add(Source());
        }
        Assert.Equal(6, sources.Distinct().Count());
        for (var i = 5; i > 0; i--)
        {
            await PostJsonAsync(owner, editor, "Undo", ("At", $"{10 - i}"));
            Assert.Equal(sources[i - 1], Source());
        }
        Assert.False((await PostJsonAsync(owner, editor, "Undo", ("At", "10"))).GetProperty("canUndo").GetBoolean());
        for (var i = 10; i < 15; i++)
            await PostJsonAsync(owner, editor, "Redo", ("At", $"{i}"));
        Assert.Equal(sources[5], Source());

        // Another window saw an earlier page, and asks for something to be done to a part that was changed since.
        var moved = await PostJsonAsync(owner, editor, "Edit", ("At", "14"), ("kind", "remove"), ("node", "0"));
        Assert.Contains("another window", moved.GetProperty("problem").GetString());
        var typed = await PostJsonAsync(
            owner,
            editor,
            "Edit",
            ("At", "14"),
            ("kind", "text"),
            ("node", "0"),
            ("html", "Mine")
        );
        Assert.Equal("Headline 4", typed.GetProperty("conflict").GetString());
        Assert.Equal(sources[5], Source());
        foreach (
            var (kind, fields) in new[]
            {
                ("address", new[] { ("node", "0"), ("to", "javascript:x") }),
                ("source", [("start", "1"), ("removed", "\"not there\""), ("inserted", "\"x\"")]),
            }
        )
        {
            var refused = await PostJsonAsync(owner, editor, "Edit", [("At", "15"), ("kind", kind), .. fields]);
            Assert.NotNull(refused.GetProperty("problem").GetString());
            // The page is shown as it is, whatever the editor had shown already.
            Assert.Equal("body", refused.GetProperty("patch").GetProperty("kind").GetString());
            Assert.Equal(sources[5], Source());
        }
        // Without script, the source is a form; what was typed on an old page is kept and not saved over the new one.
        var stale = await WexilFixture.PostAsync(
            owner,
            editor,
            "Save",
            ("Name", "undone b"),
            ("Source", "<h1>typed"),
            ("At", "2")
        );
        Assert.Contains("another window", await stale.Content.ReadAsStringAsync());
        Assert.Equal(sources[5], Source());
        await WexilFixture.PostAsync(owner, editor, "Save", ("Name", "Typed"), ("Source", "<h1>typed"), ("At", "15"));
        Assert.Equal("<h1>typed", Source());
    }

    [Fact]
    public async Task An_outside_pages_address_changes_with_a_phase_and_pages_are_shown_without_a_test()
    {
        var tested = await wexil.StartTestAsync(
            "moved",
            Weights.Create(0, 100),
            outsideB: new("https://old.larkrow.example/kit")
        );
        using var owner = await wexil.OwnerAsync();
        using var visitor = wexil.Visitor();
        var page = $"/f/moved/moved/build/{tested.B.Slug}";
        var phases = wexil.Get<TestStore>().Phases(tested.Test).Count;
        async Task<string> SaveAsync(string address, params (string, string)[] more) =>
            await (
                await WexilFixture.PostAsync(owner, page, "Save", [("Name", "moved c"), ("Address", address), .. more])
            ).Content.ReadAsStringAsync();
        Assert.Contains("a web address", await SaveAsync("ftp://x"));
        Assert.Contains("starts a new phase", await SaveAsync("https://new.larkrow.example/kit"));
        Assert.Equal(phases, wexil.Get<TestStore>().Phases(tested.Test).Count);
        // What is refused or asked about changes nothing, the name included.
        Assert.Equal("moved b", wexil.Get<PageStore>().Find(tested.B.Id)!.Name);
        await SaveAsync("https://new.larkrow.example/kit", ("IsConfirmed", "true"));
        Assert.Equal(phases + 1, wexil.Get<TestStore>().Phases(tested.Test).Count);
        Assert.Equal("moved c", wexil.Get<PageStore>().Find(tested.B.Id)!.Name);
        Assert.StartsWith(
            "https://new.larkrow.example/kit",
            (await visitor.GetAsync("/go/moved")).Headers.Location!.ToString()
        );

        // A step without a test shows what the owner says.
        var other = await wexil
            .Get<PageStore>()
            .AddAsync(tested.Thanks.Id, "moved end", PageBundle.OneFile("<h1>Other thanks"));
        Assert.Equal("moved end 2", wexil.Get<PageStore>().Find(other)!.Name);
        Assert.Contains("Thanks", await visitor.GetStringAsync("/go/moved-thanks"));
        await WexilFixture.PostAsync(owner, "/f/moved/moved-thanks/build", "Show", ("id", $"{other.Value}"));
        Assert.Contains("Other thanks", await visitor.GetStringAsync("/go/moved-thanks"));
        await WexilFixture.PostAsync(owner, "/f/moved/moved/build", "Show", ("id", $"{tested.A.Id.Value}"));
        Assert.NotEqual(tested.B.Id, wexil.Get<FunnelStore>().Steps(tested.Funnel.Id)[0].Page);
    }

    [Fact]
    public async Task A_fix_is_carried_over_to_every_clone_and_a_conflict_is_asked_about()
    {
        var funnel = await wexil.Get<FunnelStore>().CreateAsync("carry");
        var step = (await wexil.Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.Sales, "Kit", "carry"))!;
        var pages = wexil.Get<PageStore>();
        var parent = pages.Find(
            await pages.AddAsync(
                step.Id,
                "Parent",
                PageBundle.OneFile("<h1>Kit</h1><p id=price>49 euros</p><p id=date>Until May</p>")
            )
        )!;
        var one = pages.Find(await pages.CloneAsync(parent, "One"))!;
        var two = pages.Find(await pages.CloneAsync(parent, "Two"))!;
        await pages.PublishAsync(one, pages.Source(one).Replace("Kit", "Harvest kit", StringComparison.Ordinal), "");
        await pages.PublishAsync(two, pages.Source(two).Replace("49 euros", "39 euros", StringComparison.Ordinal), "");
        await pages.PublishAsync(
            parent,
            pages
                .Source(parent)
                .Replace("49 euros", "59 euros", StringComparison.Ordinal)
                .Replace("May", "June", StringComparison.Ordinal),
            ""
        );
        using var owner = await wexil.OwnerAsync();
        Assert.Contains("has changed since", await owner.GetStringAsync("/f/carry/carry/build"));
        var asked = WebUtility.HtmlDecode(await owner.GetStringAsync($"/f/carry/carry/build/{parent.Slug}/carry"));
        Assert.Contains("<dd>49 euros</dd>", asked);
        Assert.Contains("<dd>59 euros</dd>", asked);
        Assert.Contains("<dt>In the clone now</dt><dd>39 euros</dd>", asked);
        var published = pages.Source(pages.Find(one.Id)!);
        await WexilFixture.PostAsync(
            owner,
            $"/f/carry/carry/build/{parent.Slug}/carry",
            "",
            ("clones", $"{one.Id.Value}"),
            ("clones", $"{two.Id.Value}"),
            ("take", $"{one.Id.Value}:0"),
            ("take", $"{one.Id.Value}:1"),
            ("take", $"{two.Id.Value}:1")
        );
        string Draft(Page page) => wexil.Get<DraftStore>().For(pages.Find(page.Id)!).Source;
        Assert.Equal("<h1>Harvest kit</h1><p id=price>59 euros</p><p id=date>Until June</p>", Draft(one));
        Assert.Equal("<h1>Kit</h1><p id=price>39 euros</p><p id=date>Until June</p>", Draft(two));
        // Visitors see it once it is published, which is a step of its own.
        Assert.Equal(published, pages.Source(pages.Find(one.Id)!));
        await WexilFixture.PostAsync(owner, $"/f/carry/carry/build/{one.Slug}", "Publish");
        Assert.Equal(Draft(one), pages.Source(pages.Find(one.Id)!));
        Assert.DoesNotContain("has changed since", await owner.GetStringAsync("/f/carry/carry/build"));
    }

    [Fact]
    public async Task A_page_goes_out_as_a_zip_and_comes_back_as_it_was_and_so_does_a_funnel()
    {
        var tested = await wexil.StartTestAsync("round", outsideThanks: new("https://till.larkrow.example/thanks?x=1"));
        var pages = wexil.Get<PageStore>();
        await pages.CloneAsync(tested.A, "Größe „neu“");
        using var owner = await wexil.OwnerAsync();
        var page = await owner.GetByteArrayAsync($"/f/round/round/build/{tested.A.Slug}/export");
        var (bundle, _) = PageArchive.Read(new MemoryStream(page), new());
        Assert.Equal(
            pages.Hashes(tested.A.Id, 1).OrderBy(file => file.Key),
            bundle!.Files.ToDictionary(file => file.Path, file => Hash(file.Content)).OrderBy(file => file.Key)
        );

        var zip = await owner.GetByteArrayAsync("/f/round/steps?handler=Export");
        await using var other = new FreshWexil();
        await other.InitializeAsync();
        using var elsewhere = await other.Wexil.OwnerAsync();
        Assert.Equal(
            "/f/round",
            (await UploadAsync(elsewhere, "/funnels/new", "Upload", zip)).Headers.Location!.ToString()
        );
        Assert.Equal(Described(zip), Described(await elsewhere.GetByteArrayAsync("/f/round/steps?handler=Export")));

        // Where its links are taken it gets others, and its pages lead along them.
        var again = await UploadAsync(elsewhere, "/funnels/new", "Upload", zip);
        Assert.Equal("/f/round-2", again.Headers.Location!.ToString());
        Assert.Contains("/go/round-thanks-2", await elsewhere.GetStringAsync("/f/round-2/steps"));
        var refused = await (await UploadAsync(elsewhere, "/funnels/new", "Upload", page)).Content.ReadAsStringAsync();
        Assert.Contains("no funnel.json", refused);
    }

    [Fact]
    public async Task Steps_change_their_order_and_are_put_away_without_a_link_that_dies()
    {
        var funnel = await wexil.Get<FunnelStore>().CreateAsync("order");
        var store = wexil.Get<FunnelStore>();
        var pages = wexil.Get<PageStore>();
        var steps = new List<Step>();
        foreach (
            var (kind, name) in new[]
            {
                (StepKind.Upsell, "up"),
                (StepKind.Downsell, "down"),
                (StepKind.ThankYou, "end"),
            }
        )
        {
            var step = (await store.AddStepAsync(funnel.Id, kind, name, $"order-{name}"))!;
            steps.Add(step);
            await pages.AddAsync(
                step.Id,
                name,
                PageBundle.OneFile($"<h1>{name}</h1><a href=# data-wexil=buy>yes</a><a href=# data-wexil=no>no</a>")
            );
        }
        using var owner = await wexil.OwnerAsync();
        using var visitor = wexil.Visitor();
        async Task Leads(string from, string to) =>
            Assert.Equal(to, (await visitor.GetAsync(from)).Headers.Location?.ToString());
        await Leads("/buy/up?s=ad", "/go/order-end?s=ad");
        await Leads("/no/up", "/go/order-down");
        Assert.Contains("yes → end, no → down", await owner.GetStringAsync("/f/order/steps"));

        await WexilFixture.PostAsync(owner, "/f/order/steps", "Move", ("id", $"{steps[1].Id.Value}"), ("down", "true"));
        await Leads("/no/up", "/go/order-end");
        await WexilFixture.PostAsync(
            owner,
            "/f/order/steps",
            "Change",
            ("id", $"{steps[0].Id.Value}"),
            ("name", "Light"),
            ("kind", "Upsell"),
            ("no", $"{steps[1].Id.Value}")
        );
        await Leads("/no/up", "/go/order-down");
        var refused = await WexilFixture.PostAsync(
            owner,
            "/f/order/steps",
            "Change",
            ("id", $"{steps[0].Id.Value}"),
            ("name", ""),
            ("kind", "Upsell")
        );
        Assert.Equal([$"name-{steps[0].Id.Value}"], await Refusals.OfAsync(refused));
        Assert.DoesNotContain(wexil.Get<FunnelStore>().Steps(steps[0].Funnel), step => step.Name.Length == 0);

        await WexilFixture.PostAsync(
            owner,
            "/f/order/steps",
            "Archive",
            ("id", $"{steps[1].Id.Value}"),
            ("forward", "")
        );
        await Leads("/no/up", "/go/order-end");
        Assert.Contains("down", await visitor.GetStringAsync("/go/order-down"));
        await WexilFixture.PostAsync(
            owner,
            "/f/order/steps",
            "Archive",
            ("id", $"{steps[1].Id.Value}"),
            ("forward", "https://larkrow.example/light")
        );
        await Leads("/go/order-down?s=1", "https://larkrow.example/light?s=1");
        await WexilFixture.PostAsync(owner, "/f/order/steps", "Restore", ("id", $"{steps[1].Id.Value}"));
        await Leads("/no/up", "/go/order-down");

        var clone = await WexilFixture.PostAsync(owner, "/f/order/steps", "CloneFunnel");
        Assert.Equal("/f/order-copy/steps", clone.Headers.Location!.ToString());
        var cloned = store.BySlug("order-copy")!;
        Assert.Equal(["Light", "end", "down"], store.Steps(cloned.Id).Select(step => step.Name));
        Assert.All(store.Steps(cloned.Id), step => Assert.NotNull(pages.ForStep(step.Id).Single().Parent));
        var first = $"/go/{store.Steps(cloned.Id)[0].Slug}";
        Assert.Equal(HttpStatusCode.NotFound, (await visitor.GetAsync(first)).StatusCode);
        await WexilFixture.PostAsync(owner, "/f/order-copy/steps", "Live");
        await WexilFixture.PostAsync(owner, "/f/order-copy/steps", "ArchiveFunnel", ("archived", "true"));
        Assert.Contains("order, copy", await owner.GetStringAsync("/funnels?archived=true"));
        Assert.DoesNotContain("order, copy", await owner.GetStringAsync("/funnels?sort=Visitors"));
        Assert.Contains("No funnel has all of these words", await owner.GetStringAsync("/funnels?q=nowhere"));
        Assert.Equal(HttpStatusCode.OK, (await visitor.GetAsync(first)).StatusCode);
        await WexilFixture.PostAsync(
            owner,
            "/funnels?archived=true",
            "Archive",
            ("id", $"{cloned.Id.Value}"),
            ("archives", "false")
        );
        Assert.Contains("order, copy", await owner.GetStringAsync("/funnels?q=copy+order&sort=Name"));
    }

    [Fact]
    public async Task A_page_is_cloned_to_another_step_and_its_settings_go_along_in_its_source()
    {
        var from = await wexil.StartTestAsync("placed-from");
        var to = await wexil.StartTestAsync("placed-to");
        using var owner = await wexil.OwnerAsync();
        var editor = $"/f/placed-from/placed-from/build/{from.A.Slug}";
        var refused = await WexilFixture.PostAsync(
            owner,
            $"{editor}/settings",
            "",
            ("Title", new string('x', 301)),
            ("HeadCode", "<meta name=kept>")
        );
        var screen = await refused.Content.ReadAsStringAsync();
        Assert.Contains("At most 300 characters; this has 301.", screen);
        Assert.Contains("&lt;meta name=kept&gt;", screen);
        Assert.False(wexil.Get<PageStore>().Find(from.A.Id)!.HasDraft);
        await WexilFixture.PostAsync(
            owner,
            $"{editor}/settings",
            "",
            ("Title", "Salad & more"),
            ("Description", "In 21 days"),
            ("HeadCode", "<meta name=a>"),
            ("Indexed", "true")
        );
        Assert.True(wexil.Get<PageStore>().Find(from.A.Id)!.IsIndexed);
        await WexilFixture.PostAsync(owner, $"{editor}/publish", "");

        Assert.Equal(
            ["To"],
            await Refusals.OfAsync(await WexilFixture.PostAsync(owner, $"{editor}/place", "", ("To", "")))
        );
        var made = await WexilFixture.PostAsync(owner, $"{editor}/place", "", ("To", $"{to.Thanks.Id.Value}"));
        Assert.StartsWith("/f/placed-to/placed-to-thanks/build/", made.Headers.Location!.ToString());
        var clone = wexil.Get<PageStore>().ForStep(to.Thanks.Id)[^1];
        Assert.Equal((from.A.Id, 2), (clone.Parent!.Value, clone.ParentVersion!.Value));
        Assert.Contains("<title>Salad &amp; more</title>", wexil.Get<PageStore>().Source(clone));
        using var visitor = wexil.Visitor();
        Assert.Contains($"action=\"/p/{clone.Slug}/opt-in\"", await visitor.GetStringAsync($"/p/{clone.Slug}/?try=1"));

        var step = await WexilFixture.PostAsync(owner, "/f/placed-to/steps", "Clone", ("id", $"{to.Thanks.Id.Value}"));
        Assert.Equal("/f/placed-to/steps", step.Headers.Location!.ToString());
        var steps = wexil.Get<FunnelStore>().Steps(to.Funnel.Id);
        Assert.Equal(["placed-to", "Thanks", "Thanks, copy"], steps.Select(each => each.Name));
        Assert.Equal(2, wexil.Get<PageStore>().ForStep(steps[2].Id).Count);
        // A step with a running test is not put away.
        var kept = await WexilFixture.PostAsync(
            owner,
            "/f/placed-to/steps",
            "Archive",
            ("id", $"{to.Step.Id.Value}"),
            ("forward", "")
        );
        Assert.Contains("Keep a page first", await kept.Content.ReadAsStringAsync());
    }

    [Fact]
    public async Task Files_that_no_page_uses_can_be_cleared_and_no_others()
    {
        var tested = await wexil.StartTestAsync("cleared");
        using var owner = await wexil.OwnerAsync();
        var editor = $"/f/cleared/cleared/build/{tested.B.Slug}";
        byte[] png = [0x89, 0x50, 0x4E, 0x47, 1, 2, 3, 4];
        await EditAsync(
            owner,
            editor,
            0,
            ("kind", "source"),
            ("start", "0"),
            ("removed", "\"\""),
            ("inserted", "\"<img src=old.png alt=x>\"")
        );
        Assert.Equal(
            HttpStatusCode.OK,
            (
                await UploadAsync(
                    owner,
                    editor,
                    "Picture",
                    png,
                    "My planter.PNG",
                    "picture",
                    ("node", "0"),
                    ("At", "1")
                )
            ).StatusCode
        );
        var refused = await UploadAsync(
            owner,
            editor,
            "Picture",
            "<script>"u8.ToArray(),
            "evil.png",
            "picture",
            ("node", "0"),
            ("At", "2")
        );
        Assert.Contains("Choose a JPEG", await refused.Content.ReadAsStringAsync());
        Assert.Contains(
            "files/my-planter.png",
            wexil.Get<DraftStore>().For(wexil.Get<PageStore>().Find(tested.B.Id)!).Source
        );
        Assert.DoesNotContain("unused", await owner.GetStringAsync("/f/cleared/files"));
        await EditAsync(owner, editor, 2, ("kind", "remove"), ("node", "0"));
        var files = await owner.GetStringAsync("/f/cleared/files");
        Assert.Contains("Delete 1 unused file", files);
        Assert.Contains("css/a.css", files);
        await WexilFixture.PostAsync(owner, "/f/cleared/files", "Clear");
        Assert.DoesNotContain("my-planter", await owner.GetStringAsync("/f/cleared/files"));
        using var visitor = wexil.Visitor();
        Assert.Equal(HttpStatusCode.NotFound, (await visitor.GetAsync($"/a/{Hash(png)}/my-planter.png")).StatusCode);
        Assert.Equal("h1{color:green}", await visitor.GetStringAsync($"/p/{tested.B.Slug}/css/a.css"));
    }

    [Fact]
    public async Task A_preview_runs_no_script_of_the_page_and_opens_only_by_a_ticket()
    {
        var tested = await wexil.StartTestAsync("framed");
        var pages = wexil.Get<PageStore>();
        await pages.PublishAsync(
            tested.B,
            "<h1>x</h1><script>alert(1)</script><img src=https://ads.example/p.gif width=1 height=1><meta "
                + "http-equiv=refresh content=0>",
            ""
        );
        using var visitor = wexil.Visitor();
        var tickets = wexil.Get<PreviewTickets>();
        foreach (var use in Enum.GetValues<PreviewUse>())
        {
            var answer = await visitor.GetAsync($"/draft/{tickets.Issue(tested.B.Id, use)}");
            var policy = string.Join(' ', answer.Headers.GetValues("Content-Security-Policy"));
            Assert.Contains("sandbox", policy);
            Assert.DoesNotContain("allow-same-origin", policy);
            Assert.Contains("frame-src 'none';", policy);
            Assert.Matches(use == PreviewUse.Look ? "script-src 'none'" : "script-src 'nonce-[^']+';", policy);
            Assert.Contains($"frame-ancestors {wexil.Studio.GetLeftPart(UriPartial.Authority)}", policy);
            var html = await answer.Content.ReadAsStringAsync();
            Assert.DoesNotContain(" src=https://ads", html);
            Assert.DoesNotContain(" http-equiv", html);
            Assert.False(answer.Headers.Contains("Set-Cookie"));
        }
        Assert.Equal(HttpStatusCode.NotFound, (await visitor.GetAsync("/draft/made-up")).StatusCode);
        Assert.Equal((0, 0), await wexil.CountedAsync(tested.Test));
    }

    [Fact]
    public async Task Files_are_served_for_good_by_what_they_hold_and_pages_name_their_link()
    {
        var funnel = await wexil.Get<FunnelStore>().CreateAsync("served");
        var step = (await wexil.Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.Sales, "Kit", "served"))!;
        var svg = Encoding.UTF8.GetBytes("<svg xmlns='http://www.w3.org/2000/svg'>" + new string(' ', 4000) + "</svg>");
        var pages = wexil.Get<PageStore>();
        var page = pages.Find(
            await pages.AddAsync(
                step.Id,
                "Served",
                new PageBundle(
                    [
                        new(
                            "index.html",
                            (
                                "<link rel=canonical href=http://old.example/><img src=\"img/k t.svg\">"u8
                                + "<a href=https://shop.example/x>x</a>"u8
                            ).ToArray()
                        ),
                        new("img/k t.svg", svg),
                        new("clip.mp4", "abcdef"u8.ToArray()),
                    ],
                    "index.html"
                )
            )
        )!;
        using var visitor = wexil.Visitor();
        var shown = await visitor.GetAsync("/go/served");
        var address = $"/a/{Hash(svg)}/k%20t.svg";
        Assert.Contains($"<img src=\"{address}\">", await shown.Content.ReadAsStringAsync());
        Assert.Equal(
            $"<{wexil.Get<VisitorsAddress>().Link("served")}>; rel=\"canonical\"",
            shown.Headers.GetValues("Link").Single()
        );
        Assert.Contains(
            $"href=\"{wexil.Get<VisitorsAddress>().Link("served")}\"",
            await shown.Content.ReadAsStringAsync()
        );
        Assert.False(shown.Headers.Contains("X-Robots-Tag"));
        Assert.Equal("noindex", (await visitor.GetAsync("/p/served/")).Headers.GetValues("X-Robots-Tag").Single());
        await pages.SetIndexedAsync(page.Id, true);
        Assert.False((await visitor.GetAsync("/p/served/")).Headers.Contains("X-Robots-Tag"));

        using var plain = await visitor.GetAsync(address);
        Assert.Equal(
            ("image/svg+xml", "public, max-age=31536000, immutable"),
            (plain.Content.Headers.ContentType!.ToString(), string.Join(", ", plain.Headers.GetValues("Cache-Control")))
        );
        using var request = new HttpRequestMessage(HttpMethod.Get, address);
        request.Headers.Add("Accept-Encoding", "gzip, br");
        using var packed = await visitor.SendAsync(request);
        Assert.Equal(
            ("br", "Accept-Encoding"),
            (packed.Content.Headers.ContentEncoding.Single(), packed.Headers.Vary.Single())
        );
        await using var unpacked = new BrotliStream(
            await packed.Content.ReadAsStreamAsync(),
            CompressionMode.Decompress
        );
        using var memory = new MemoryStream();
        await unpacked.CopyToAsync(memory);
        Assert.Equal(svg, memory.ToArray());
        using var unwanted = new HttpRequestMessage(HttpMethod.Get, address);
        unwanted.Headers.Add("Accept-Encoding", "br;q=0.0, gzip;q=0.5");
        using var other = await visitor.SendAsync(unwanted);
        Assert.Equal("gzip", other.Content.Headers.ContentEncoding.Single());
        using var known = new HttpRequestMessage(HttpMethod.Get, address);
        known.Headers.TryAddWithoutValidation("If-None-Match", $"\"older\", {plain.Headers.ETag}");
        Assert.Equal(HttpStatusCode.NotModified, (await visitor.SendAsync(known)).StatusCode);
        using var piece = new HttpRequestMessage(HttpMethod.Get, $"/p/served/clip.mp4");
        piece.Headers.Range = new(2, 4);
        using var part = await visitor.SendAsync(piece);
        Assert.Equal(
            (HttpStatusCode.PartialContent, "cde", "bytes 2-4/6"),
            (part.StatusCode, await part.Content.ReadAsStringAsync(), part.Content.Headers.ContentRange!.ToString())
        );
        // A page's source is no file that may be asked for by its hash.
        Assert.Equal(
            HttpStatusCode.NotFound,
            (await visitor.GetAsync($"/a/{pages.Hashes(page.Id, 1)["index.html"]}/index.html")).StatusCode
        );
    }

    [Fact]
    public async Task Buy_buttons_know_their_own_page_on_every_clone_and_carry_the_visitor_to_the_till()
    {
        var funnel = await wexil.Get<FunnelStore>().CreateAsync("bought");
        var store = wexil.Get<FunnelStore>();
        var sales = (await store.AddStepAsync(funnel.Id, StepKind.Sales, "Kit", "bought-kit"))!;
        var till = (await store.AddStepAsync(funnel.Id, StepKind.Checkout, "Till", "bought-till"))!;
        var pages = wexil.Get<PageStore>();
        await pages.AddAsync(till.Id, "Till", new Uri("https://till.example/pay"));
        var parent = pages.Find(
            await pages.AddAsync(
                sales.Id,
                "Bought",
                PageBundle.OneFile(
                    "<a href='https://till.example/pay?product=12'>one</a><a "
                        + "href=/buy/somebody-else>two</a><a href=/go/bought-till>three</a><a data-wexil=buy "
                        + "href='https://other.example/p?x=1&amp;y=2#z'>four</a><a "
                        + "href=https://till.example/help>help</a>"
                )
            )
        )!;
        var clone = pages.Find(await pages.CloneAsync(parent, "Bought clone"))!;
        using var visitor = wexil.Visitor();
        foreach (var page in new[] { parent, clone })
        {
            var html = await visitor.GetStringAsync($"/p/{page.Slug}/?try=1");
            Assert.Equal(1, html.Split($"\"/buy/{page.Slug}\"").Length - 1);
            Assert.Equal(3, html.Split($"\"/buy/{page.Slug}?button=").Length - 1);
            Assert.Contains("href=https://till.example/help", html);
        }
        var first = (await visitor.GetAsync($"/buy/{clone.Slug}?s=ad")).Headers.Location!.ToString();
        Assert.Matches($@"^https://till\.example/pay\?product=12&s=ad&wx=[\w-]+&wx_page={clone.Slug}$", first);
        Assert.Equal(
            "/go/bought-till",
            (await visitor.GetAsync($"/buy/{clone.Slug}?button=2")).Headers.Location!.ToString()
        );
        Assert.Equal(
            "/go/bought-till",
            (await visitor.GetAsync($"/buy/{clone.Slug}?button=3")).Headers.Location!.ToString()
        );
        Assert.StartsWith(
            "https://other.example/p?x=1&y=2&wx=",
            (await visitor.GetAsync($"/buy/{clone.Slug}?button=4")).Headers.Location!.ToString()
        );
        Assert.EndsWith("#z", (await visitor.GetAsync($"/buy/{clone.Slug}?button=4")).Headers.Location!.ToString());
        Assert.Equal(HttpStatusCode.NotFound, (await visitor.GetAsync("/buy/nobody")).StatusCode);
    }

    private static async Task<JsonElement> EditAsync(
        HttpClient owner,
        string editor,
        int at,
        params (string, string)[] fields
    ) => await PostJsonAsync(owner, editor, "Edit", [.. fields, ("At", $"{at}")]);

    private static async Task<JsonElement> PostJsonAsync(
        HttpClient owner,
        string editor,
        string handler,
        params (string, string)[] fields
    )
    {
        var answer = await WexilFixture.PostAsync(owner, editor, handler, fields);
        var text = await answer.Content.ReadAsStringAsync();
        Assert.True(answer.StatusCode == HttpStatusCode.OK, text);
        return JsonDocument.Parse(text).RootElement;
    }

    internal static async Task<HttpResponseMessage> UploadAsync(
        HttpClient owner,
        string page,
        string handler,
        byte[] content,
        string file = "upload.zip",
        string field = "Upload",
        params (string Name, string Value)[] fields
    )
    {
        var token = System
            .Text.RegularExpressions.Regex.Match(
                await owner.GetStringAsync(page),
                "__RequestVerificationToken\" type=\"hidden\" value=\"([^\"]+)"
            )
            .Groups[1]
            .Value;
        using var form = new MultipartFormDataContent
        {
            { new StringContent(token), "__RequestVerificationToken" },
            { new ByteArrayContent(content), field, file },
        };
        foreach (var (name, value) in fields)
            form.Add(new StringContent(value), name);
        return await owner.PostAsync($"{page}?handler={handler}", form);
    }

    private static string Hash(byte[] content) =>
        Convert.ToHexStringLower(System.Security.Cryptography.SHA256.HashData(content));

    private static List<(string, string)> Described(byte[] zip)
    {
        using var archive = new ZipArchive(new MemoryStream(zip));
        return
        [
            .. archive.Entries.Select(entry =>
            {
                using var reader = new StreamReader(entry.Open());
                return (entry.FullName, reader.ReadToEnd());
            }),
        ];
    }
}
