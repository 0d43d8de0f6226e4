using System.Text;
using Wexil.App.Setup;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Store;

namespace Wexil.Web.Tests;

/// <summary>The way to a first test, with what is wrong, sent twice, or left half way.</summary>
public sealed class FirstTestTests : IAsyncLifetime
{
    private readonly WexilFixture _wexil = new();

    public Task InitializeAsync() => _wexil.InitializeAsync();

    public Task DisposeAsync() => _wexil.DisposeAsync();

    [Fact]
    public async Task A_sales_page_gets_a_checkout_and_a_thank_you_page_that_counts()
    {
        using var owner = await _wexil.OwnerAsync();
        await SendAsync(owner, "Funnel", ("Name", "Kit"), ("IsSales", "true"), ("From", "Starter"));
        var state = _wexil.Get<FirstTestGuide>().State();
        Assert.Equal(FirstTestStage.SecondPage, state.Stage);
        Assert.Equal((StepKind.Sales, StepKind.ThankYou), (state.Step!.Kind, state.Goal!.Kind));
        Assert.Equal(
            [StepKind.Sales, StepKind.Checkout, StepKind.ThankYou],
            _wexil.Get<FunnelStore>().Steps(state.Funnel!.Id).Select(step => step.Kind)
        );
        // Sent again, as by a second click, it makes no second funnel.
        await SendAsync(owner, "Funnel", ("Name", "Kit"), ("IsSales", "true"), ("From", "Starter"));
        Assert.Single(_wexil.Get<FunnelStore>().All());
    }

    [Fact]
    public async Task What_is_wrong_is_said_by_its_field_keeps_what_was_typed_and_makes_nothing()
    {
        using var owner = await _wexil.OwnerAsync();
        foreach (var (from, field) in new[] { ("Address", "Address"), ("File", "Upload") })
        {
            var refused = await SendAsync(
                owner,
                "Funnel",
                ("Name", "Herbs & <salad>"),
                ("IsSales", "false"),
                ("From", from),
                ("Address", "not an address"),
                ("Offer.Accent", "#a3271f")
            );
            Assert.Equal([field], Refusals.Of(refused));
            Assert.Contains("value=\"Herbs & <salad>\"", refused, StringComparison.Ordinal);
        }
        Assert.Empty(_wexil.Get<FunnelStore>().All());
        Assert.Null(_wexil.Get<SettingStore>().BrandAccent);
        await SendAsync(owner, "Funnel", ("Name", "Kit"), ("From", "Starter"), ("Offer.Accent", "#a3271f"));
        Assert.Equal("#a3271f", _wexil.Get<SettingStore>().BrandAccent);
    }

    [Fact]
    public async Task A_page_that_never_came_is_asked_for_again_in_the_funnel_that_is_there()
    {
        using var owner = await _wexil.OwnerAsync();
        // Private addresses are refused, so the page does not come in.
        await SendAsync(owner, "Funnel", ("Name", "Kit"), ("From", "Address"), ("Address", "http://127.0.0.9/kit"));
        Assert.Equal(FirstTestStage.Page, _wexil.Get<FirstTestGuide>().State().Stage);
        await SendAsync(owner, "Page", ("From", "Starter"), ("Offer.Accent", "#a3271f"));
        Assert.Equal("#a3271f", _wexil.Get<SettingStore>().BrandAccent);
        Assert.Equal(FirstTestStage.SecondPage, _wexil.Get<FirstTestGuide>().State().Stage);
        Assert.Single(_wexil.Get<FunnelStore>().All());
    }

    [Fact]
    public async Task The_second_page_differs_and_two_clicks_start_one_test()
    {
        using var owner = await _wexil.OwnerAsync();
        await SendAsync(owner, "Funnel", ("Name", "Kit"), ("From", "Starter"));
        var state = _wexil.Get<FirstTestGuide>().State();
        var pages = _wexil.Get<PageStore>();
        var headline = Wexil.Pages.Editing.Headline.Of(pages.Source(state.Control!))!.Words;
        foreach (
            var (words, problem) in new[]
            {
                ("", "Enter a headline"),
                (headline, "This is the headline of the first page"),
                (new string('a', 401), "Enter a headline"),
            }
        )
            Assert.Contains(problem, await SendAsync(owner, "Second", ("Words", words)), StringComparison.Ordinal);
        Assert.Single(pages.ForStep(state.Step!.Id));

        await SendAsync(owner, "Second", ("Words", "Salad in 21 days"));
        var second = pages.ForStep(state.Step.Id)[^1];
        Assert.Equal((state.Control!.Id, "Salad in 21 days"), (second.Parent, second.Name));
        Assert.Contains("Salad in 21 days", pages.Source(second), StringComparison.Ordinal);

        await SendAsync(owner, "Start");
        await SendAsync(owner, "Start");
        var test = Assert.Single(_wexil.Get<TestStore>().All());
        Assert.Equal([state.Control.Id, second.Id], test.Pages);
        Assert.Contains(
            "/go/kit",
            WexilFixture.Read(await owner.GetStringAsync("/first-test")),
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task A_test_whose_visitors_cannot_convert_says_what_is_missing_and_where_before_it_starts()
    {
        using var owner = await _wexil.OwnerAsync();
        await SendAsync(owner, "Funnel", ("Name", "Kit"), ("From", "Starter"));
        var state = _wexil.Get<FirstTestGuide>().State();
        await SendAsync(owner, "Second", ("Words", "Salad in 21 days"));
        Assert.DoesNotContain("cannot convert", await owner.GetStringAsync("/first-test"), StringComparison.Ordinal);

        // The form is taken out of the second page.
        var pages = _wexil.Get<PageStore>();
        var second = pages.ForStep(state.Step!.Id)[^1];
        var source = pages.Source(second);
        var form = source[source.IndexOf("<form", StringComparison.Ordinal)..];
        form = form[..(form.IndexOf("</form>", StringComparison.Ordinal) + "</form>".Length)];
        await pages.PublishAsync(second, source.Replace(form, "", StringComparison.Ordinal), "Without a form");
        var shown = WexilFixture.Read(await owner.GetStringAsync("/first-test"));
        Assert.Contains("“Salad in 21 days” has no opt-in form and no link to another step", shown);
        Assert.Contains($"/f/kit/kit/build/{second.Slug}\">Add an opt-in form", shown);
        await SendAsync(owner, "Start");
        Assert.Empty(_wexil.Get<TestStore>().All());
        var ready = await WexilFixture.PostAsync(
            owner,
            "/f/kit/kit/send",
            "Ready",
            ("Rows[0].Page", $"{state.Control!.Id.Value}"),
            ("Rows[0].In", "true"),
            ("Rows[0].Weight", "50"),
            ("Rows[1].Page", $"{second.Id.Value}"),
            ("Rows[1].In", "true"),
            ("Rows[1].Weight", "50"),
            ("Control", $"{state.Control.Id.Value}"),
            ("Goal", $"{state.Goal!.Id.Value}")
        );
        second = pages.Find(second.Id)!;
        // The test is named by the page, and by what is different where the page's name says nothing.
        var names = _wexil.Get<TestNames>();
        Assert.Equal("Salad in 21 days", names.Usual(state.Step, state.Control, second));
        foreach (var nothing in (string[])["B", "Opt-in, copy 2"])
            Assert.Equal("Headline and 1 more", names.Usual(state.Step, state.Control, second with { Name = nothing }));
        Assert.Equal("Opt-in", names.Usual(state.Step, second, second with { Name = "B" }));
        Assert.Contains("nobody gets further", await ready.Content.ReadAsStringAsync(), StringComparison.Ordinal);

        await SendAsync(owner, "Start", ("Anyway", "true"));
        Assert.Single(_wexil.Get<TestStore>().All());
    }

    [Fact]
    public async Task Whoever_can_go_on_by_a_link_is_a_conversion_and_no_opt_in()
    {
        using var owner = await _wexil.OwnerAsync();
        await SendAsync(owner, "Funnel", ("Name", "Kit"), ("From", "Starter"));
        await SendAsync(owner, "Second", ("Words", "Salad in 21 days"));
        await SendAsync(owner, "Start");
        Assert.Contains("0 opt-ins", await owner.GetStringAsync("/f/kit/kit/count"), StringComparison.Ordinal);
        var pages = _wexil.Get<PageStore>();
        var test = Assert.Single(_wexil.Get<TestStore>().Open());
        var page = pages.Find(test.Pages[1])!;
        var goal = _wexil.Get<FunnelStore>().AllSteps().Single(step => step.Id == test.Goal);
        var linked = $"<p><a href=\"/go/{goal.Slug}\">Next</a></p></body>";
        var source = pages.Source(page).Replace("</body>", linked, StringComparison.Ordinal);
        await pages.PublishAsync(page, source, "A link");
        var count = await owner.GetStringAsync("/f/kit/kit/count");
        Assert.Contains("0 conversions", count, StringComparison.Ordinal);
        Assert.DoesNotContain("0 opt-ins", count, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_goal_that_only_a_no_leads_to_is_held_up_by_nothing_on_the_way_of_a_yes()
    {
        var funnels = _wexil.Get<FunnelStore>();
        var pages = _wexil.Get<PageStore>();
        var funnel = await funnels.CreateAsync("Harvest");
        var steps = new List<Step>();
        foreach (var kind in (StepKind[])[StepKind.Sales, StepKind.Upsell, StepKind.Downsell, StepKind.ThankYou])
            steps.Add((await funnels.AddStepAsync(funnel.Id, kind, $"{kind}", $"{kind}".ToLowerInvariant()))!);
        async Task<Page> AddAsync(Step step, string html)
        {
            var bundle = new PageBundle([new("index.html", Encoding.UTF8.GetBytes(html))], "index.html");
            return pages.Find(await pages.AddAsync(step.Id, "Page", bundle))!;
        }
        const string buy = "<a href=\"#\" data-wexil=\"buy\">Order</a>";
        var tested = await AddAsync(steps[0], buy);
        IReadOnlyList<string> Gaps(Step goal) =>
            [.. _wexil.Get<ConversionPath>().Gaps(steps[0], [tested], goal).Select(gap => gap.Words)];
        Assert.Equal(["“Upsell” has no page.", "“ThankYou” has no page."], Gaps(steps[3]));
        Assert.Empty(Gaps(steps[2]));
        await AddAsync(steps[1], "<h1>A light</h1>");
        await AddAsync(steps[3], "<h1>Thanks</h1>");
        Assert.Equal(["“Page” has no buy button and no link to another step, so nobody gets further."], Gaps(steps[3]));
    }

    private static async Task<string> SendAsync(
        HttpClient owner,
        string handler,
        params (string Name, string Value)[] fields
    )
    {
        var answer = await WexilFixture.PostAsync(owner, "/first-test", handler, fields);
        return WexilFixture.Read(await answer.Content.ReadAsStringAsync());
    }
}
