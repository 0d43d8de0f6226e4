using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using System.Text.RegularExpressions;
using Wexil.App.Drafts;
using Wexil.App.Visits;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Store;

namespace Wexil.Web.Tests;

/// <summary>Parts of a page with versions: marked, served, counted and kept.</summary>
public sealed partial class SectionTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    private const string Source = "<!doctype html>\n<body><main><h1>Basil</h1><p class=\"ask\">Order now</p></main>";

    [Fact]
    public async Task A_part_that_is_marked_becomes_a_section_and_visitors_never_see_the_mark()
    {
        var made = await MakeAsync("marked");
        using var owner = await wexil.OwnerAsync();
        var (headline, answer) = await MarkAsync(owner, made, node: 2, "The headline");
        Assert.Equal("the-headline", headline!.Slug);
        Assert.Equal(JsonValueKind.Null, answer.GetProperty("problem").ValueKind);
        // The draft has it, and what visitors see does not yet.
        var build = WexilFixture.Read(await owner.GetStringAsync("/f/marked/the-headline/build"));
        Assert.Contains("do not see this section yet", build, StringComparison.Ordinal);
        await WexilFixture.PostAsync(owner, made.Editor, "Publish");
        build = WexilFixture.Read(await owner.GetStringAsync("/f/marked/the-headline/build"));
        Assert.DoesNotContain("do not see this section yet", build, StringComparison.Ordinal);
        Assert.Contains("Variations of “The headline”", build, StringComparison.Ordinal);
        Assert.Contains(
            "data-wexil-section=\"the-headline\"",
            wexil.Get<PageStore>().Source(wexil.Get<PageStore>().Find(made.Page.Id)!),
            StringComparison.Ordinal
        );
        using var visitor = wexil.Visitor();
        foreach (var address in new[] { "/go/marked", $"/p/{made.Page.Slug}/", $"/p/{made.Page.Slug}/?try=1" })
        {
            var shown = await visitor.GetStringAsync(address);
            Assert.Contains("<h1>Basil</h1>", shown, StringComparison.Ordinal);
            Assert.DoesNotContain("data-wexil-section", shown, StringComparison.Ordinal);
        }
        // A section has no link, and a version of one is no page.
        Assert.Equal(HttpStatusCode.NotFound, (await visitor.GetAsync("/go/the-headline")).StatusCode);
        var version = wexil.Get<PageStore>().ForStep(headline.Id).Single();
        Assert.Equal(HttpStatusCode.NotFound, (await visitor.GetAsync($"/p/{version.Slug}/")).StatusCode);
    }

    [Fact]
    public async Task Two_parts_that_stand_side_by_side_are_tested_in_the_other_order()
    {
        var made = await MakeAsync("turned");
        using var owner = await wexil.OwnerAsync();
        var (order, answer) = await MarkAsync(owner, made, node: 2, "The order", withNext: true);
        Assert.Equal(JsonValueKind.Null, answer.GetProperty("problem").ValueKind);
        await WexilFixture.PostAsync(owner, made.Editor, "Publish");
        var pages = wexil.Get<PageStore>();
        var versions = pages.ForStep(order!.Id);
        var (first, turned) = (pages.Source(versions[0]), pages.Source(versions[1]));
        var whole = pages.Source(made.Page);
        Assert.Contains(first, whole, StringComparison.Ordinal);
        Assert.NotEqual(first, turned);
        Assert.Equal("Other order", versions[1].Name);
        using var visitor = wexil.Visitor();
        var shown = await visitor.GetStringAsync($"/p/{made.Page.Slug}/?wx_versions={versions[1].Slug}");
        Assert.Contains(turned, shown, StringComparison.Ordinal);
        Assert.DoesNotContain(first, shown, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Marking_a_section_begins_no_phase_in_the_test_of_the_page_since_nobody_sees_a_difference()
    {
        var made = await MakeAsync("unseen");
        using var owner = await wexil.OwnerAsync();
        var (pages, tests) = (wexil.Get<PageStore>(), wexil.Get<TestStore>());
        var other = await pages.CloneAsync(made.Page, "Other");
        TestPlan plan = new(
            made.Step.Id,
            made.Thanks.Id,
            "Pages",
            "",
            0.1,
            0.2,
            [made.Page.Id, other],
            Weights.Even(2)
        );
        var test = (await tests.StartAsync(plan))!.Value;
        await MarkAsync(owner, made, node: 2, "Unseen headline");
        wexil.Time.Advance(TimeSpan.FromMinutes(1));
        await WexilFixture.PostAsync(owner, made.Editor, "Publish");
        var page = pages.Find(made.Page.Id)!;
        Assert.Contains("data-wexil-section", pages.Source(page), StringComparison.Ordinal);
        Assert.Single(tests.Phases(test));
        // Words are something else: the owner is told first.
        var draft = wexil.Get<DraftStore>().For(page);
        await wexil.Get<DraftStore>().EditAsync(page, draft, draft.Source + "<p>More", "Words");
        await WexilFixture.PostAsync(owner, made.Editor, "Publish");
        Assert.Equal(page.Revision, pages.Find(page.Id)!.Revision);
        await WexilFixture.PostAsync(owner, made.Editor + "/publish", "");
        Assert.Equal(2, tests.Phases(test).Count);
    }

    [Theory]
    [InlineData(2, "", "Enter a name for the section")]
    [InlineData(99, "Nothing", "no longer on the page")]
    [InlineData(0, "The whole", "belongs to the whole page")]
    public async Task What_cannot_be_a_section_leaves_none_behind(int node, string name, string problem)
    {
        var made = await MakeAsync($"refused-{node}");
        using var owner = await wexil.OwnerAsync();
        var (section, answer) = await MarkAsync(owner, made, node, name);
        Assert.Null(section);
        Assert.Contains(problem, answer.GetProperty("problem").GetString(), StringComparison.Ordinal);
        Assert.Equal(Source, wexil.Get<DraftStore>().For(made.Page).Source);
    }

    [Fact]
    public async Task Visitors_are_drawn_for_each_section_by_itself_keep_what_they_saw_and_are_counted()
    {
        var made = await MakeAsync("drawn");
        using var owner = await wexil.OwnerAsync();
        var (headline, button) = await TestBothAsync(owner, made, "drawn");
        var seen = new Dictionary<string, int>();
        for (var i = 0; i < 200; i++)
        {
            using var visitor = wexil.Visitor();
            var first = Shown(await visitor.GetStringAsync("/go/drawn"));
            seen[first] = seen.GetValueOrDefault(first) + 1;
            if (i >= 20)
                continue;
            Assert.Equal(first, Shown(await visitor.GetStringAsync("/go/drawn")));
            Assert.Equal(first, Shown(await visitor.GetStringAsync($"/p/{made.Page.Slug}/")));
            if (i % 2 == 0)
                await visitor.GetStringAsync("/go/drawn-thanks");
        }
        // Four combinations, each about as often: 50 of 200, and six standard deviations around it.
        Assert.Equal(4, seen.Count);
        Assert.All(seen.Values, count => Assert.InRange(count, 50 - 37, 50 + 37));
        foreach (var test in new[] { headline, button })
            Assert.Equal((200L, 10L), await wexil.CountedAsync(test));
        var combinations = wexil.Get<TallyStore>().Combinations(made.Step.Id);
        Assert.Equal((200L, 10L), (combinations.Sum(c => c.Arm.Visitors), combinations.Sum(c => c.Arm.Conversions)));
        // The page itself has had each of them once.
        Assert.Equal(200, wexil.Get<TallyStore>().StepVisitors()[made.Step.Id]);

        using var robot = wexil.Visitor(agent: "Googlebot/2.1 (+http://www.google.com/bot.html)");
        for (var i = 0; i < 5; i++)
            Assert.Equal("Basil / Order now", Shown(await robot.GetStringAsync("/go/drawn")));
        Assert.Equal((200L, 10L), await wexil.CountedAsync(headline));
        var exported = (await owner.GetStringAsync("/f/drawn/drawn/sections/combinations.csv")).Split("\r\n");
        Assert.Equal("headline-of-drawn,button-of-drawn,visitors,conversions", exported[0]);
        Assert.Equal(["A,A", "A,B", "B,A", "B,B"], exported[1..5].Select(line => line[..3]).Order());
        Assert.Equal(200, exported[1..5].Sum(line => int.Parse(line.Split(',')[2])));
        var together = WexilFixture.Read(await owner.GetStringAsync("/f/drawn/drawn/sections"));
        Assert.Contains("Best variation of each section", together, StringComparison.Ordinal);
        Assert.Contains("Headline of drawn", together, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_version_is_kept_for_its_section_while_the_others_go_on_and_it_can_be_taken_back()
    {
        var made = await MakeAsync("kept");
        using var owner = await wexil.OwnerAsync();
        var (headline, button) = await TestBothAsync(owner, made, "kept");
        var tests = wexil.Get<TestStore>();
        var version = tests.Find(headline)!.Pages[1];
        var keep = $"/f/kept/headline-of-kept/keep";
        wexil.Time.Advance(TimeSpan.FromMinutes(1));
        await WexilFixture.PostAsync(owner, keep, "Keep", ("Kept", $"{version.Value}"), ("Confirmed", "true"));
        Assert.NotNull(tests.Find(headline)!.DecidedAt);
        Assert.Null(tests.Find(button)!.DecidedAt);
        // It stands on another page now, so it is counted in another phase.
        Assert.Equal(2, tests.Phases(button).Count);
        Assert.Contains("“Headline of kept” shows “", tests.Phases(button)[^1].Reason, StringComparison.Ordinal);
        for (var i = 0; i < 8; i++)
        {
            using var visitor = wexil.Visitor();
            Assert.StartsWith("Mint /", Shown(await visitor.GetStringAsync("/go/kept")), StringComparison.Ordinal);
        }
        Assert.Equal((8L, 0L), await wexil.CountedAsync(button));
        wexil.Time.Advance(TimeSpan.FromMinutes(1));
        await WexilFixture.PostAsync(owner, keep, "TakeBack");
        Assert.Null(tests.Find(headline)!.DecidedAt);
        Assert.Equal(3, tests.Phases(button).Count);
    }

    [Fact]
    public async Task The_best_of_all_sections_are_kept_as_a_plain_page_and_taken_back_one_by_one()
    {
        var made = await MakeAsync("together");
        using var owner = await wexil.OwnerAsync();
        var (headline, button) = await TestBothAsync(owner, made, "together");
        var (tests, pages) = (wexil.Get<TestStore>(), wexil.Get<PageStore>());
        const string Sections = "/f/together/together/sections";
        var phases = tests.Phases(button).Count;
        var asked = await WexilFixture.PostAsync(owner, Sections, "Keep");
        Assert.Contains("Keep them anyway?", await asked.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        Assert.Null(tests.Find(headline)!.DecidedAt);
        wexil.Time.Advance(TimeSpan.FromMinutes(1));
        await WexilFixture.PostAsync(owner, Sections, "Keep", ("IsConfirmed", "true"));
        Assert.NotNull(tests.Find(headline)!.DecidedAt);
        Assert.NotNull(tests.Find(button)!.DecidedAt);
        Assert.Equal(Source, pages.Source(pages.Find(made.Page.Id)!));
        Assert.False(pages.Find(made.Page.Id)!.HasDraft);
        using var visitor = wexil.Visitor();
        Assert.Equal("Basil / Order now", Shown(await visitor.GetStringAsync("/go/together")));

        wexil.Time.Advance(TimeSpan.FromMinutes(1));
        var keep = "/f/together/headline-of-together/keep";
        Assert.Contains("Written into", await owner.GetStringAsync(keep), StringComparison.Ordinal);
        await WexilFixture.PostAsync(owner, keep, "TakeBack");
        Assert.Null(tests.Find(headline)!.DecidedAt);
        Assert.NotNull(tests.Find(button)!.DecidedAt);
        Assert.Contains("data-wexil-section", pages.Source(pages.Find(made.Page.Id)!), StringComparison.Ordinal);
        Assert.False(pages.Find(made.Page.Id)!.HasDraft);
        Assert.Equal(phases, tests.Phases(button).Count);
    }

    [Fact]
    public async Task A_page_that_was_changed_since_is_not_put_back_and_the_owner_is_told()
    {
        var made = await MakeAsync("since");
        using var owner = await wexil.OwnerAsync();
        var (headline, _) = await TestBothAsync(owner, made, "since");
        var (tests, pages) = (wexil.Get<TestStore>(), wexil.Get<PageStore>());
        var version = tests.Find(headline)!.Pages[1];
        var keep = "/f/since/headline-of-since/keep";
        await WexilFixture.PostAsync(owner, keep, "Keep", ("Kept", $"{version.Value}"), ("Confirmed", "true"));
        await WexilFixture.PostAsync(owner, keep, "WriteIn");
        var written = pages.Find(made.Page.Id)!;
        Assert.Contains("<h1>Mint</h1>", pages.Source(written), StringComparison.Ordinal);
        // The other section is tested on.
        Assert.Contains("data-wexil-section", pages.Source(written), StringComparison.Ordinal);
        var changed = pages.Source(written) + "<p>One more line";
        var draft = wexil.Get<DraftStore>().For(written);
        await wexil.Get<DraftStore>().EditAsync(written, draft, changed, "Words");
        await WexilFixture.PostAsync(owner, keep, "TakeBack");
        Assert.Contains(
            "was changed after the section was written into it",
            WexilFixture.Read(await owner.GetStringAsync(keep)),
            StringComparison.Ordinal
        );
        Assert.Null(tests.Find(headline)!.DecidedAt);
        Assert.Equal(changed, wexil.Get<DraftStore>().For(pages.Find(made.Page.Id)!).Source);
        Assert.Equal(written.Revision, pages.Find(made.Page.Id)!.Revision);
    }

    [Fact]
    public async Task A_picture_of_a_version_is_seen_in_the_page_and_comes_along_when_it_is_written_in()
    {
        var made = await MakeAsync("pictured", "en/index.html");
        using var owner = await wexil.OwnerAsync();
        var (section, _) = await MarkAsync(owner, made, node: 2, "Pictured headline");
        await WexilFixture.PostAsync(owner, made.Editor, "Publish");
        var (pages, drafts) = (wexil.Get<PageStore>(), wexil.Get<DraftStore>());
        var version = pages.Find(await pages.AddVersionAsync(section!.Id, "With a picture", "<p>Soon</p>"))!;
        byte[] png = [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 1, 2, 3];
        await drafts.AddFileAsync(version.Id, new("files/basil.png", png));
        await drafts.EditAsync(version, drafts.For(version), "<h1><img src=\"files/basil.png\"></h1>", "Picture");
        await pages.PublishAsync(version, drafts.For(version).Source, "");
        using var visitor = wexil.Visitor();
        async Task<byte[]> SeenAsync(string page)
        {
            var address = PictureAddress().Match(await visitor.GetStringAsync(page)).Groups[1].Value;
            return await visitor.GetByteArrayAsync(new Uri(new Uri("http://127.0.0.1/p/x/en/"), address).AbsolutePath);
        }
        Assert.Equal(png, await SeenAsync($"/p/{made.Page.Slug}/?wx_versions={version.Slug}"));
        // Elsewhere only a whole address leads here.
        var answer = await visitor.GetFromJsonAsync<JsonElement>(
            $"/section/{section.Slug}?at={Uri.EscapeDataString($"?wx_versions={version.Slug}")}"
        );
        Assert.Contains("<img src=\"http://", answer.GetProperty("html").GetString(), StringComparison.Ordinal);

        await pages.ShowAsync(version);
        Assert.Equal(png, await SeenAsync("/go/pictured"));
        Assert.Single(await wexil.Get<SectionWriter>().WriteInAsync(made.Funnel.Id, [section.Id]));
        Assert.Equal(png, await SeenAsync("/go/pictured"));
        Assert.Equal(png, pages.File(made.Page.Id, pages.Find(made.Page.Id)!.Revision, "en/files/basil.png")!.Content);
    }

    [Fact]
    public async Task A_cloned_funnel_and_a_page_taken_along_have_what_visitors_saw_and_no_sections()
    {
        var made = await MakeAsync("copied");
        using var owner = await wexil.OwnerAsync();
        var (headline, _) = await TestBothAsync(owner, made, "copied");
        var version = wexil.Get<TestStore>().Find(headline)!.Pages[1];
        const string Keep = "/f/copied/headline-of-copied/keep";
        await WexilFixture.PostAsync(owner, Keep, "Keep", ("Kept", $"{version.Value}"), ("Confirmed", "true"));
        await WexilFixture.PostAsync(owner, "/f/copied/steps", "CloneFunnel");
        var (funnels, pages) = (wexil.Get<FunnelStore>(), wexil.Get<PageStore>());
        var clone = funnels.All().Single(funnel => funnel.Name == "copied, copy");
        var copy = pages.ForStep(funnels.Steps(clone.Id)[0].Id).Single();
        Assert.Equal(Source.Replace("Basil", "Mint", StringComparison.Ordinal), pages.Source(copy));
        Assert.Empty(funnels.Sections(clone.Id));
        using var archive = new System.IO.Compression.ZipArchive(await owner.GetStreamAsync($"{made.Editor}/export"));
        using var reader = new StreamReader(archive.GetEntry("index.html")!.Open());
        Assert.Equal(pages.Source(copy), await reader.ReadToEndAsync());
    }

    [Fact]
    public async Task A_page_of_another_funnel_has_nothing_to_do_with_a_section_that_its_mark_names()
    {
        var made = await MakeAsync("ours");
        var other = await MakeAsync("theirs");
        using var owner = await wexil.OwnerAsync();
        var (headline, _) = await TestBothAsync(owner, made, "ours");
        var marked = wexil.Get<PageStore>().Source(wexil.Get<PageStore>().Find(made.Page.Id)!);
        await wexil.Get<PageStore>().PublishAsync(other.Page, marked, "");
        for (var i = 0; i < 6; i++)
        {
            using var visitor = wexil.Visitor();
            Assert.Equal("Basil / Order now", Shown(await visitor.GetStringAsync("/go/theirs")));
        }
        Assert.Equal((0L, 0L), await wexil.CountedAsync(headline));
    }

    [Fact]
    public async Task Pictures_of_versions_have_names_of_their_own()
    {
        var made = await MakeAsync("named");
        using var owner = await wexil.OwnerAsync();
        var (section, _) = await MarkAsync(owner, made, node: 2, "Named headline");
        var (pages, drafts) = (wexil.Get<PageStore>(), wexil.Get<DraftStore>());
        var other = pages.Find(await pages.AddVersionAsync(section!.Id, "Other", "<h1><img src=x.png></h1>"))!;
        await drafts.AddFileAsync(made.Page.Id, new("files/basil.png", [1]));
        await drafts.AddFileAsync(pages.ForStep(section.Id)[0].Id, new("files/basil-2.png", [2]));
        Assert.Superset(
            new HashSet<string> { "files/basil.png", "files/basil-2.png" },
            wexil.Get<SectionWriter>().FilesBeside(other).ToHashSet()
        );
    }

    [Fact]
    public async Task A_banner_elsewhere_is_wired_by_its_line_and_once_kept_the_code_to_paste_is_given()
    {
        var made = await MakeAsync("elsewhere");
        using var owner = await wexil.OwnerAsync();
        var (pages, tests, funnels) = (wexil.Get<PageStore>(), wexil.Get<TestStore>(), wexil.Get<FunnelStore>());
        var notes = (await funnels.AddStepAsync(made.Funnel.Id, StepKind.Other, "Notes", "elsewhere-notes"))!;
        await pages.AddAsync(notes.Id, "Notes", new Uri("https://larkrow.example/notes"));
        await WexilFixture.PostAsync(
            owner,
            "/f/elsewhere/elsewhere-notes/build/notes",
            "OutsideSection",
            ("SectionName", "Banner elsewhere")
        );
        var wiring = WexilFixture.Read(await owner.GetStringAsync("/f/elsewhere/wiring"));
        Assert.Contains("The section “Banner elsewhere”", wiring, StringComparison.Ordinal);
        Assert.Contains("Not used yet", wiring, StringComparison.Ordinal);
        var link = new Uri(
            $"http://localhost/share/{await wexil.Get<InstallationStore>().Links.MakeAsync(made.Funnel.Id.Value)}"
        );
        using var visitor = wexil.Visitor();
        var shared = WexilFixture.Read(await visitor.GetStringAsync(link.AbsolutePath));
        Assert.Contains("before the element of the section “Banner elsewhere”", shared, StringComparison.Ordinal);
        await visitor.GetStringAsync("/section/banner-elsewhere");
        wiring = WexilFixture.Read(await owner.GetStringAsync("/f/elsewhere/wiring"));
        Assert.Contains("Last used", wiring, StringComparison.Ordinal);

        var section = funnels.Sections(made.Funnel.Id).Single();
        var other = await pages.AddVersionAsync(section.Id, "Free seeds", "<h2 class=b>Free & easy</h2>");
        PageId[] versions = [pages.ForStep(section.Id)[0].Id, other];
        var test = await tests.StartAsync(
            new(section.Id, made.Thanks.Id, "Banner", "", 0.1, 0.2, versions, Weights.Even(2))
        );
        const string Keep = "/f/elsewhere/banner-elsewhere/keep";
        await WexilFixture.PostAsync(owner, Keep, "Keep", ("Kept", $"{other.Value}"), ("Confirmed", "true"));
        var kept = WexilFixture.Read(await owner.GetStringAsync(Keep));
        Assert.Contains("<h2 class=b>Free & easy</h2></textarea>", kept, StringComparison.Ordinal);
        Assert.DoesNotContain("Write it into the page", kept, StringComparison.Ordinal);
        var answer = await visitor.GetFromJsonAsync<JsonElement>("/section/banner-elsewhere");
        Assert.Equal("<h2 class=b>Free & easy</h2>", answer.GetProperty("html").GetString());
        Assert.NotNull(tests.Find(test!.Value)!.DecidedAt);
    }

    [Fact]
    public async Task A_section_that_is_not_tested_is_put_away_and_brought_back_unseen_by_visitors()
    {
        var made = await MakeAsync("away");
        using var owner = await wexil.OwnerAsync();
        var (headline, button) = await TestBothAsync(owner, made, "away");
        var (tests, pages, funnels) = (wexil.Get<TestStore>(), wexil.Get<PageStore>(), wexil.Get<FunnelStore>());
        const string Sections = "/f/away/away/sections";
        var section = tests.Find(headline)!.Step;
        await WexilFixture.PostAsync(owner, Sections, "PutAway", ("section", $"{section.Value}"));
        Assert.DoesNotContain(funnels.Sections(made.Funnel.Id), own => own.IsArchived);
        var version = tests.Find(headline)!.Pages[1];
        await WexilFixture.PostAsync(
            owner,
            "/f/away/headline-of-away/keep",
            "Keep",
            ("Kept", $"{version.Value}"),
            ("Confirmed", "true")
        );
        await WexilFixture.PostAsync(owner, Sections, "PutAway", ("section", $"{section.Value}"));
        Assert.Equal(section, Assert.Single(funnels.Sections(made.Funnel.Id), own => own.IsArchived).Id);
        Assert.Contains("<h1>Mint</h1>", pages.Source(pages.Find(made.Page.Id)!), StringComparison.Ordinal);
        Assert.DoesNotContain("headline-of-away", await owner.GetStringAsync(made.Editor), StringComparison.Ordinal);
        using var visitor = wexil.Visitor();
        Assert.StartsWith("Mint /", Shown(await visitor.GetStringAsync("/go/away")), StringComparison.Ordinal);
        await WexilFixture.PostAsync(owner, Sections, "BringBack", ("section", $"{section.Value}"));
        Assert.DoesNotContain(funnels.Sections(made.Funnel.Id), own => own.IsArchived);
        Assert.Contains("headline-of-away", pages.Source(pages.Find(made.Page.Id)!), StringComparison.Ordinal);
        Assert.StartsWith("Mint /", Shown(await visitor.GetStringAsync("/go/away")), StringComparison.Ordinal);
        Assert.Null(tests.Find(button)!.DecidedAt);
    }

    [Fact]
    public async Task Only_the_sections_chosen_are_tested_and_none_when_none_is()
    {
        var made = await MakeAsync("ticked");
        using var owner = await wexil.OwnerAsync();
        var (one, _) = await MarkAsync(owner, made, node: 2, "Ticked headline");
        var (other, _) = await MarkAsync(owner, made, node: 3, "Ticked button", at: 1);
        await WexilFixture.PostAsync(owner, made.Editor, "Publish");
        foreach (var section in new[] { one, other })
            await wexil.Get<PageStore>().AddVersionAsync(section!.Id, "Hidden", "");
        const string Sections = "/f/ticked/ticked/sections";
        (string, string)[] form = [("Goal", $"{made.Thanks.Id.Value}"), ("BaseRate", "5"), ("SmallestLift", "20")];
        var refused = await WexilFixture.PostAsync(owner, Sections, "", form);
        Assert.Equal(["Chosen"], await Refusals.OfAsync(refused));
        Assert.Empty(wexil.Get<TestStore>().ForStep(one!.Id));
        await WexilFixture.PostAsync(owner, Sections, "", [.. form, ("Chosen", $"{other!.Id.Value}")]);
        Assert.Empty(wexil.Get<TestStore>().ForStep(one.Id));
        Assert.Single(wexil.Get<TestStore>().ForStep(other.Id));
    }

    [Fact]
    public async Task Any_combination_can_be_tried_and_nothing_of_it_counts()
    {
        var made = await MakeAsync("tried");
        using var owner = await wexil.OwnerAsync();
        var (headline, button) = await TestBothAsync(owner, made, "tried");
        var pages = wexil.Get<PageStore>();
        string[] Slugs(TestId test) =>
            [.. wexil.Get<TestStore>().Find(test)!.Pages.Select(page => pages.Find(page)!.Slug)];
        using var visitor = wexil.Visitor();
        foreach (var (first, second) in Slugs(headline).SelectMany(one => Slugs(button).Select(two => (one, two))))
        {
            var shown = Shown(await visitor.GetStringAsync($"/p/{made.Page.Slug}/?wx_versions={second},{first},none"));
            Assert.Equal(
                $"{(first == Slugs(headline)[0] ? "Basil" : "Mint")} / "
                    + $"{(second == Slugs(button)[0] ? "Order now" : "Get it")}",
                shown
            );
        }
        Assert.Equal((0L, 0L), await wexil.CountedAsync(headline));
        var asked = await visitor.GetFromJsonAsync<JsonElement>(
            $"/section/headline-of-tried?at={Uri.EscapeDataString($"?wx_versions={Slugs(headline)[1]}")}"
        );
        Assert.Equal("<h1>Mint</h1>", asked.GetProperty("html").GetString());
        Assert.Equal("", asked.GetProperty("told").GetString());
        var screen = WexilFixture.Read(
            await owner.GetStringAsync($"/f/tried/tried/sections?see={Slugs(headline)[1]}&see={Slugs(button)[0]}")
        );
        Assert.Contains(
            $"/p/{made.Page.Slug}/?wx_versions={Slugs(headline)[1]},{Slugs(button)[0]}",
            screen,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task Versions_that_do_not_go_together_are_never_shown_together_and_the_rest_is_counted()
    {
        var made = await MakeAsync("apart");
        using var owner = await wexil.OwnerAsync();
        var (headline, button) = await TestBothAsync(owner, made, "apart");
        var tests = wexil.Get<TestStore>();
        const string Sections = "/f/apart/apart/sections";
        (string, string)[] Pair(int one, int other) =>
            [
                ("One", $"{tests.Find(headline)!.Pages[one].Value}"),
                ("Other", $"{tests.Find(button)!.Pages[other].Value}"),
            ];
        wexil.Time.Advance(TimeSpan.FromMinutes(1));
        var refused = await WexilFixture.PostAsync(owner, Sections, "Exclude", Pair(0, 1));
        Assert.Equal(["Other"], await Refusals.OfAsync(refused));
        refused = await WexilFixture.PostAsync(owner, Sections, "Exclude", ("One", "1"), ("Other", "1"));
        Assert.Equal(["Other"], await Refusals.OfAsync(refused));
        Assert.Single(tests.Phases(headline));
        await WexilFixture.PostAsync(owner, Sections, "Exclude", Pair(1, 1));
        Assert.Equal([2, 2], [tests.Phases(headline).Count, tests.Phases(button).Count]);
        var seen = new Dictionary<string, int>();
        for (var i = 0; i < 200; i++)
        {
            using var visitor = wexil.Visitor();
            var first = Shown(await visitor.GetStringAsync("/go/apart"));
            seen[first] = seen.GetValueOrDefault(first) + 1;
            if (i < 20)
                Assert.Equal(first, Shown(await visitor.GetStringAsync("/go/apart")));
        }
        // A quarter would have seen both, and sees neither: six standard deviations around it.
        Assert.DoesNotContain("Mint / Get it", seen.Keys);
        Assert.InRange(seen["Basil / Order now"], 100 - 42, 100 + 42);
        // Who saw the other button tells nothing of the headlines, and the other way round.
        Assert.Equal((200L - seen["Basil / Get it"], 0L), await CountedAndShownAsideAsync(headline, seen));
        Assert.Equal(200, wexil.Get<TallyStore>().Combinations(made.Step.Id).Sum(c => c.Arm.Visitors));
        wexil.Time.Advance(TimeSpan.FromMinutes(1));
        await WexilFixture.PostAsync(owner, Sections, "Admit", Pair(1, 1));
        Assert.Equal([3, 3], [tests.Phases(headline).Count, tests.Phases(button).Count]);
    }

    // Half of those who see both first versions were drawn for the pair, and count nowhere.
    private async Task<(long, long)> CountedAndShownAsideAsync(TestId test, Dictionary<string, int> seen)
    {
        var (visitors, conversions) = await wexil.CountedAsync(test);
        var aside = wexil.Get<TallyStore>().Apart(test).Sum(row => row.Arm.Visitors) - seen["Basil / Get it"];
        return (visitors + aside, conversions);
    }

    [Fact]
    public async Task A_version_that_shows_nothing_takes_the_section_out_of_the_page()
    {
        var made = await MakeAsync("hidden");
        using var owner = await wexil.OwnerAsync();
        var (section, _) = await MarkAsync(owner, made, node: 2, "Hidden headline");
        await WexilFixture.PostAsync(owner, made.Editor, "Publish");
        var build = "/f/hidden/hidden-headline/build";
        await WexilFixture.PostAsync(owner, build, "Hidden");
        var hidden = wexil.Get<PageStore>().ForStep(section!.Id).Single(page => page.Name == "Hidden");
        await WexilFixture.PostAsync(owner, build, "Show", ("id", $"{hidden.Id.Value}"));
        using var visitor = wexil.Visitor();
        Assert.Contains("<main><p class", await visitor.GetStringAsync("/go/hidden"), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_version_is_edited_where_it_stands_and_nothing_else_of_the_page_can_be()
    {
        var made = await MakeAsync("inplace");
        using var owner = await wexil.OwnerAsync();
        var (section, _) = await MarkAsync(owner, made, node: 2, "Edited headline");
        var version = wexil.Get<PageStore>().ForStep(section!.Id).Single();
        var editor = $"/f/inplace/edited-headline/build/{version.Slug}";
        var frame = Frame().Match(await owner.GetStringAsync(editor)).Groups[1].Value;
        using var visitor = wexil.Visitor();
        var shown = await visitor.GetStringAsync(WebUtility.HtmlDecode(frame));
        Assert.Contains("<h1 data-wx=\"0\">Basil</h1><p class=\"ask\">Order now</p>", shown, StringComparison.Ordinal);
        var answer = await PostJsonAsync(
            owner,
            editor,
            "Edit",
            ("At", "0"),
            ("kind", "text"),
            ("node", "0"),
            ("html", "Rosemary")
        );
        Assert.Equal(JsonValueKind.Null, answer.GetProperty("problem").ValueKind);
        Assert.Equal("<h1>Rosemary</h1>", wexil.Get<DraftStore>().For(version).Source);
        // What stands beside the part in the version stands in the page around it too.
        var duplicated = await PostJsonAsync(owner, editor, "Edit", ("At", "1"), ("kind", "duplicate"), ("node", "0"));
        var patch = duplicated.GetProperty("patch");
        Assert.Equal("body", patch.GetProperty("kind").GetString());
        Assert.Contains(
            "<h1 data-wx=\"0\">Rosemary</h1><h1 data-wx=\"1\">Rosemary</h1><p class=\"ask\">",
            patch.GetProperty("html").GetString(),
            StringComparison.Ordinal
        );
    }

    private sealed record Made(Funnel Funnel, Step Step, Step Thanks, Page Page)
    {
        public string Editor => $"/f/{Funnel.Slug}/{Step.Slug}/build/{Page.Slug}";
    }

    private async Task<Made> MakeAsync(string slug, string entry = "index.html")
    {
        var funnels = wexil.Get<FunnelStore>();
        var funnel = await funnels.CreateAsync(slug);
        var step = (await funnels.AddStepAsync(funnel.Id, StepKind.Sales, slug, slug))!;
        var thanks = (await funnels.AddStepAsync(funnel.Id, StepKind.ThankYou, "Thanks", slug + "-thanks"))!;
        var pages = wexil.Get<PageStore>();
        PageBundle bundle = new([new(entry, System.Text.Encoding.UTF8.GetBytes(Source))], entry);
        var page = await pages.AddAsync(step.Id, slug + " page", bundle);
        await pages.AddAsync(thanks.Id, slug + " end", WexilFixture.Bundle("<h1>Thanks</h1>"));
        return new(funnel, step, thanks, pages.Find(page)!);
    }

    private async Task<(Step? Section, JsonElement Answer)> MarkAsync(
        HttpClient owner,
        Made made,
        int node,
        string name,
        int at = 0,
        bool withNext = false
    )
    {
        var answer = await PostJsonAsync(
            owner,
            made.Editor,
            "Section",
            ("At", $"{at}"),
            ("node", $"{node}"),
            ("section", name),
            ("withNext", $"{withNext}")
        );
        var sections = wexil.Get<FunnelStore>().Sections(made.Funnel.Id);
        return (sections.LastOrDefault(section => !section.IsArchived && section.Name == name), answer);
    }

    /// <summary>Marks headline and button, writes another version of each, and starts a test of both.</summary>
    private async Task<(TestId Headline, TestId Button)> TestBothAsync(HttpClient owner, Made made, string name)
    {
        var (headline, _) = await MarkAsync(owner, made, node: 2, $"Headline of {name}");
        var (button, _) = await MarkAsync(owner, made, node: 3, $"Button of {name}", at: 1);
        await WexilFixture.PostAsync(owner, made.Editor, "Publish");
        async Task<TestId> StartAsync(Step section, string source)
        {
            var pages = wexil.Get<PageStore>();
            var second = await pages.AddVersionAsync(section.Id, $"{section.Name}, other", source);
            var first = pages.ForStep(section.Id)[0].Id;
            TestPlan plan = new(
                section.Id,
                made.Thanks.Id,
                section.Name,
                "",
                0.1,
                0.2,
                [first, second],
                Weights.Even(2)
            );
            return (await wexil.Get<TestStore>().StartAsync(plan))!.Value;
        }
        var tests = (
            await StartAsync(headline!, "<h1>Mint</h1>"),
            await StartAsync(button!, "<p class=ask>Get it</p>")
        );
        return tests;
    }

    private static string Shown(string html) =>
        $"{Headline().Match(html).Groups[1].Value} / {Ask().Match(html).Groups[1].Value}";

    private static async Task<JsonElement> PostJsonAsync(
        HttpClient owner,
        string page,
        string handler,
        params (string, string)[] fields
    )
    {
        var answer = await WexilFixture.PostAsync(owner, page, handler, fields);
        return JsonDocument.Parse(await answer.Content.ReadAsStringAsync()).RootElement;
    }

    [GeneratedRegex("<h1>(.*?)</h1>")]
    private static partial Regex Headline();

    [GeneratedRegex("<p class=\"?ask\"?>(.*?)</p>")]
    private static partial Regex Ask();

    [GeneratedRegex("<img src=\"(.*?)\"")]
    private static partial Regex PictureAddress();

    [GeneratedRegex("data-frame=\"(.*?)\"")]
    private static partial Regex Frame();
}
