using Microsoft.Extensions.DependencyInjection;
using OpenQA.Selenium;
using OpenQA.Selenium.Interactions;
using Wexil.App.Visits;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Store;

namespace Wexil.Browser.Tests;

/// <summary>A page changed in place, by hand and by keys, with the source in step.</summary>
public sealed class EditorTests
{
    // As pages are found: no closing tags, an inline handler, a policy and a refresh of its own, a script that would
    // change the page.
    private const string Found = """
        <!DOCTYPE html><html><head><meta http-equiv="Content-Security-Policy" content="script-src 'self'">
        <meta http-equiv=refresh content="1;url=https://larkrow.example/"><title>Found</title>
        <style>.btn{background:#2d6a3e;color:#fff;padding:8px}</style></head><BODY onload="document.title='ran'">
        <div class=top><h1>Salad from your balcony</h1><p>Sow it on <b>Monday</b> &amp; eat it soon<p>Second line
        <p><a class=btn href=#>Order</a></div>
        <div class=mid><h2>Questions</h2><p>Sun?</div>
        <div class=end><h2>Guarantee</h2><p>Thirty days</div>
        <script>document.body.innerHTML = 'gone'; alert(1)</script>
        """;

    [Fact]
    public async Task A_page_that_Wexil_has_never_seen_is_changed_in_place_and_its_source_follows()
    {
        await using var site = await Site.StartAsync();
        var (page, editor) = await PageAsync(site, Found);
        string Source() =>
            site
                .Host.Services.GetRequiredService<DraftStore>()
                .For(site.Host.Services.GetRequiredService<PageStore>().Find(page)!)
                .Source;
        using var owner = new Browser();
        site.SignIn(owner);
        owner.OpenEditor(site.Studio, editor, "Order");

        // A button: its words and colour, and that it is the one to buy with.
        owner.ClickIn("[data-page]", "a.btn");
        owner.WaitFor(() => owner.All("#part-button-text").SingleOrDefault());
        owner.Find("#part-button-text").SendKeys(Keys.Control + "a");
        owner.Find("#part-button-text").SendKeys("Order now" + Keys.Tab);
        owner.WaitForTextIn("[data-page]", "Order now");
        owner.WaitFor(() => owner.All("#part-role").SingleOrDefault());
        owner.Run(
            "const r = document.querySelector('#part-role'); r.value = 'buy'; r.dispatchEvent(new Event('change'))"
        );
        owner.WaitForText("1 buy button connected");
        owner.Run(
            "const c = document.querySelector('#part-background-color'); c.value = '#a3271f'; "
                + "c.dispatchEvent(new Event('change'))"
        );
        owner.WaitFor(() => Source().Contains("background-color: #a3271f", StringComparison.Ordinal) ? "" : null);
        owner.IsAccessible();

        // A section up, another hidden, a block between.
        Select(owner, "Section Guarantee");
        owner.Press("Move up");
        owner.WaitFor(() =>
            Source().IndexOf("Guarantee", StringComparison.Ordinal)
            < Source().IndexOf("Questions", StringComparison.Ordinal)
                ? ""
                : null
        );
        Select(owner, "Section Questions");
        owner.Press("Hide");
        owner.WaitFor(() =>
            Source().Contains("<div style=\"display: none !important\" class=mid>", StringComparison.Ordinal)
                ? ""
                : null
        );
        owner.WaitFor(() =>
            owner.All(".parts em").SingleOrDefault(hidden => hidden.Text.Contains("hidden", StringComparison.Ordinal))
        );
        Select(owner, "Headline Salad from your balcony");
        owner.Find("#part-insert").SendKeys("Opt-in form");
        owner.Find("[data-part] .copyline button").Click();
        owner.WaitForTextIn("[data-page]", "Get it by e-mail");
        owner.WaitForText("1 form, 1 buy button connected");

        // All of it back, and forth again.
        var made = Source();
        for (var i = 0; i < 6; i++)
        {
            var before = Source();
            owner.WaitFor(() => owner.Find("[data-undo]").Enabled ? "" : null);
            owner.Find("[data-undo]").Click();
            owner.WaitFor(() => Source() != before ? "" : null);
        }
        Assert.Equal(Found, Source());
        owner.WaitForTextIn("[data-page]", "Second line");
        for (var i = 0; i < 6; i++)
        {
            var before = Source();
            owner.WaitFor(() => owner.Find("[data-redo]").Enabled ? "" : null);
            owner.Find("[data-redo]").Click();
            owner.WaitFor(() => Source() != before ? "" : null);
        }
        Assert.Equal(made, Source());

        // The source: what is typed there stands in the page, what is done in the page stands there.
        owner.Press("Source");
        owner.WaitFor(() => owner.All(".cm-content").SingleOrDefault());
        owner.IsAccessible();
        new Actions(owner.Driver)
            .Click(owner.Find(".cm-content"))
            .KeyDown(Keys.Control)
            .SendKeys(Keys.End)
            .KeyUp(Keys.Control)
            .SendKeys("<p>Typed below")
            .Perform();
        owner.WaitForTextIn("[data-page]", "Typed below");
        owner.ClickIn("[data-page]", "h1");
        owner.Control("a");
        owner.Type("Both ways" + Keys.Enter);
        owner.WaitFor(() =>
            Source().Contains("<h1>Both ways</h1>", StringComparison.Ordinal)
            && Source().Contains("<p>Sow it on <b>Monday</b> &amp; eat it soon<p>Second line", StringComparison.Ordinal)
            && Source().Contains("<p>Typed below", StringComparison.Ordinal)
                ? ""
                : null
        );
        owner.WaitFor(() =>
            (
                (string)
                    owner.Run(
                        "document.querySelector('.cm-scroller').scrollTop = 0; return "
                            + "document.querySelector('.cm-content').textContent"
                    )!
            ).Contains("<h1>Both ways</h1>", StringComparison.Ordinal)
                ? ""
                : null
        );
        Assert.Equal(
            "Found",
            owner.In("[data-page]", frame =>
                ((IJavaScriptExecutor)frame).ExecuteScript("return document.title") as string
            )
        );
    }

    [Fact]
    public async Task The_source_view_keeps_the_line_ends_that_a_page_has()
    {
        await using var site = await Site.StartAsync();
        var (page, editor) = await PageAsync(site, "<h1>One</h1>\r\n<p>Two</p>\n<p>Three</p>\r\n");
        string Source() =>
            site
                .Host.Services.GetRequiredService<DraftStore>()
                .For(site.Host.Services.GetRequiredService<PageStore>().Find(page)!)
                .Source;
        using var owner = new Browser();
        site.SignIn(owner);
        owner.Open(site.Studio, editor);
        owner.Press("Source");
        owner.WaitFor(() => owner.All(".cm-content").SingleOrDefault());
        new Actions(owner.Driver)
            .Click(owner.All(".cm-line")[2])
            .SendKeys(Keys.End + "!" + Keys.Enter + "New")
            .Perform();
        owner.WaitFor(() => Source() == "<h1>One</h1>\r\n<p>Two</p>\n<p>Three</p>!\r\nNew\r\n" ? "" : null);
        owner.Find("[data-undo]").Click();
        owner.WaitFor(() => !Source().Contains("New", StringComparison.Ordinal) ? "" : null);
        owner.WaitFor(() => owner.Find(".cm-content").Text.Contains("New", StringComparison.Ordinal) ? null : "");
    }

    [Fact]
    public async Task Everything_in_the_page_can_be_done_by_keys_alone()
    {
        await using var site = await Site.StartAsync();
        var (page, editor) = await PageAsync(site, "<main><h1>First</h1><p>Second</p><p>Third</p></main>");
        string Source() =>
            site
                .Host.Services.GetRequiredService<DraftStore>()
                .For(site.Host.Services.GetRequiredService<PageStore>().Find(page)!)
                .Source;
        using var owner = new Browser();
        site.SignIn(owner);
        owner.OpenEditor(site.Studio, editor, "Third");
        owner.WaitFor(() => owner.All(".parts button").Count >= 3 ? "" : null);
        var parts = owner.All(".parts button");
        parts.First(part => part.Text.Contains("Second", StringComparison.Ordinal)).SendKeys(Keys.Enter);
        owner.WaitFor(() => owner.All("[data-part] h2").SingleOrDefault(name => name.Text == "Text"));
        Key(owner, "p", Keys.Alt + Keys.ArrowDown);
        owner.WaitFor(() => Source() == "<main><h1>First</h1><p>Third</p><p>Second</p></main>" ? "" : null);
        Key(owner, "h1", Keys.Control + "d");
        owner.WaitFor(() =>
            Source() == "<main><h1>First</h1><h1>First</h1><p>Third</p><p>Second</p></main>" ? "" : null
        );
        // What has only the focus is not removed; what Escape chose is, and nothing is chosen then.
        Key(owner, "h1", Keys.Delete);
        Key(owner, "h1", Keys.Escape + Keys.Delete);
        owner.WaitFor(() => Source() == "<main><h1>First</h1><p>Third</p><p>Second</p></main>" ? "" : null);
        owner.WaitForText("Removed: Headline “First”.");
        Key(owner, "p", Keys.Delete);
        Key(owner, "h1", Keys.Enter + Keys.End + "!" + Keys.Enter);
        owner.WaitFor(() => Source() == "<main><h1>First!</h1><p>Third</p><p>Second</p></main>" ? "" : null);
        Key(owner, "h1", Keys.Control + "z");
        owner.WaitFor(() => Source().Contains("<h1>First</h1>", StringComparison.Ordinal) ? "" : null);
        // Who does not wait for the copy moves the copy, and not what it was made of.
        Key(owner, "p", Keys.Control + "d" + Keys.Null + Keys.Alt + Keys.ArrowDown);
        owner.WaitFor(() => Source() == "<main><h1>First</h1><p>Third</p><p>Second</p><p>Third</p></main>" ? "" : null);
    }

    [Fact]
    public async Task What_is_typed_while_the_connection_is_lost_or_the_session_is_over_is_saved_once_it_is_back()
    {
        await using var site = await Site.StartAsync();
        var (page, editor) = await PageAsync(site, "<main><h1>One</h1><p>Two</p></main>");
        string Source() =>
            site
                .Host.Services.GetRequiredService<DraftStore>()
                .For(site.Host.Services.GetRequiredService<PageStore>().Find(page)!)
                .Source;
        using var owner = new Browser();
        site.SignIn(owner);
        owner.OpenEditor(site.Studio, editor, "Two");
        owner.Disconnect(true);
        owner.ClickIn("[data-page]", "h1");
        owner.Control("a");
        owner.Type("First");
        owner.ClickIn("[data-page]", "p");
        owner.Control("a");
        owner.Type("Second" + Keys.Enter);
        owner.WaitForText("Not saved yet: no connection");
        owner.IsAccessible();
        Assert.Equal("<main><h1>One</h1><p>Two</p></main>", Source());
        owner.Disconnect(false);
        owner.WaitFor(() => Source() == "<main><h1>First</h1><p>Second</p></main>" ? "" : null);
        owner.WaitForText("Saved");

        var cookies = owner.Driver.Manage().Cookies.AllCookies;
        owner.ForgetCookies();
        owner.ClickIn("[data-page]", "h1");
        owner.Control("a");
        owner.Type("Third" + Keys.Enter);
        owner.WaitForText("you are signed out");
        foreach (var cookie in cookies)
            owner.Driver.Manage().Cookies.AddCookie(cookie);
        owner.WaitFor(() => Source() == "<main><h1>Third</h1><p>Second</p></main>" ? "" : null);
        owner.WaitForText("Saved");
    }

    [Fact]
    public async Task Two_windows_on_one_page_are_merged_and_one_text_changed_in_both_is_asked_about()
    {
        await using var site = await Site.StartAsync();
        var (page, editor) = await PageAsync(site, "<main><h1>One</h1><p id=a>Two</p><p id=b>Three</p></main>");
        string Source() =>
            site
                .Host.Services.GetRequiredService<DraftStore>()
                .For(site.Host.Services.GetRequiredService<PageStore>().Find(page)!)
                .Source;
        using var first = new Browser();
        using var second = new Browser();
        foreach (var window in new[] { first, second })
        {
            site.SignIn(window);
            window.OpenEditor(site.Studio, editor, "Three");
        }
        void Write(Browser window, string css, string text)
        {
            window.ClickIn("[data-page]", css);
            window.Control("a");
            window.Type(text + Keys.Enter);
        }
        Write(first, "h1", "From the first");
        first.WaitFor(() => Source().Contains("<h1>From the first</h1>", StringComparison.Ordinal) ? "" : null);
        Write(second, "#b", "From the second");
        second.WaitFor(() =>
            Source() == "<main><h1>From the first</h1><p id=a>Two</p><p id=b>From the second</p></main>" ? "" : null
        );
        second.WaitForTextIn("[data-page]", "From the first");

        Write(second, "#a", "Second’s");
        second.WaitFor(() => Source().Contains("Second’s", StringComparison.Ordinal) ? "" : null);
        const string mine = "First’s words, more of them than a list of parts shows of any text";
        Write(first, "#a", mine);
        first.WaitForText("This text was changed in another window at the same time.");
        Assert.Contains("Second’s", Source(), StringComparison.Ordinal);
        Assert.Contains(mine, first.Find("[data-conflict]").Text, StringComparison.Ordinal);
        first.WaitForTextIn("[data-page]", "Second’s");
        first.IsAccessible();
        first.Press("Use mine");
        first.WaitFor(() => Source().Contains($"<p id=a>{mine}</p>", StringComparison.Ordinal) ? "" : null);
        first.WaitForTextIn("[data-page]", mine);
    }

    [Fact]
    public async Task A_part_is_removed_only_when_it_was_chosen_and_stray_letters_lead_nowhere()
    {
        await using var site = await Site.StartAsync();
        var (page, editor) = await PageAsync(
            site,
            "<main><h1>One</h1><p>Two</p><a class=btn href=#><img src=x.png width=120 height=60 alt=Leaf></a></main>"
        );
        string Source() =>
            site
                .Host.Services.GetRequiredService<DraftStore>()
                .For(site.Host.Services.GetRequiredService<PageStore>().Find(page)!)
                .Source;
        using var owner = new Browser();
        site.SignIn(owner);
        owner.OpenEditor(site.Studio, editor, "Two");
        var before = Source();
        owner.ClickIn("[data-page]", "img");
        owner.WaitFor(() => owner.All("[data-part] h2").SingleOrDefault(part => part.Text == "Picture"));
        owner.Type("n1/" + Keys.Delete + "n4");
        owner.ClickIn("[data-page]", "p");
        owner.Control("a");
        owner.Type(Keys.Delete + "n" + Keys.Escape);
        owner.WaitFor(() => owner.Find("[data-saved]").Text == "Saved" ? "" : null);
        Assert.EndsWith(editor, owner.Address, StringComparison.Ordinal);
        // Escape keeps what was typed and chooses the part; Undo takes the words back.
        owner.WaitFor(() => Source() == before.Replace("Two", "n", StringComparison.Ordinal) ? "" : null);
        owner.Control("z");
        owner.WaitFor(() => Source() == before ? "" : null);
        owner.WaitForTextIn("[data-page]", "Two");
        owner.Type(Keys.Delete);
        owner.WaitForText("Removed: Text “Two”.");
        owner.Type(Keys.Delete + "n");
        owner.Find("[data-notice] button").Click();
        owner.WaitFor(() => Source() == before ? "" : null);
        Assert.EndsWith(editor, owner.Address, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_lonely_word_is_pointed_out_at_the_width_where_it_stands_alone_and_can_be_balanced()
    {
        await using var site = await Site.StartAsync();
        var (page, editor) = await PageAsync(
            site,
            "<body style='margin:0'><h1 style='font:40px/1.2 monospace;width:16ch;margin:0'>aaaa bbbb cccc "
                + "d</h1><h1 style='font:40px/1.2 monospace;margin:0'>aaaaaaa bbbbbbb cc</h1>"
        );
        using var owner = new Browser();
        site.SignIn(owner);
        owner.OpenEditor(site.Studio, editor, "aaaa bbbb");
        Assert.Empty(owner.All(".lonely p"));
        owner.Press("Phone");
        owner.WaitForText("At 390 pixels “cc” is alone on the last line of “aaaaaaa bbbbbbb cc”");
        owner.Press("Balance the lines");
        owner.WaitFor(() =>
            site
                .Host.Services.GetRequiredService<DraftStore>()
                .For(site.Host.Services.GetRequiredService<PageStore>().Find(page)!)
                .Source.Contains("text-wrap: balance", StringComparison.Ordinal)
                ? ""
                : null
        );
        owner.IsAccessible();
    }

    [Fact]
    public async Task What_changed_is_named_outlined_and_seen_through_the_wipe_and_a_fix_reaches_the_clone()
    {
        await using var site = await Site.StartAsync();
        var pages = site.Host.Services.GetRequiredService<PageStore>();
        var (page, editor) = await PageAsync(
            site,
            "<h1>Kit</h1><p id=price>49 euros</p><section><h2>Questions</h2><p>Does it need sun? Four hours "
                + "will do for salad and herbs.</p></section><section data-block=guarantee><h2>Money "
                + "back</h2></section>"
        );
        using var owner = new Browser();
        site.SignIn(owner);
        owner.Open(site.Studio, "/f/kit/kit/build");
        owner.Find("article form button").Click();
        owner.WaitForText("This is a clone of “Found”");
        Select(owner, "Section Money back");
        owner.Press("Move up");
        owner.WaitForText("Changes one change");
        owner.Press("Compare");
        owner.WaitForText("Guarantee moved above Section “Questions”");
        owner.WaitForText("One change: if it wins, you know why.");
        foreach (var side in new[] { "before", "after" })
            owner.In($"[data-side={side}]", frame =>
                ((IJavaScriptExecutor)frame).ExecuteScript(
                    "return document.documentElement.lastElementChild.shadowRoot?.children.length"
                ) as long?
                    is 1
                    ? ""
                    : null
            );
        owner.IsAccessible();
        owner.Press("Overlay");
        owner.WaitFor(() => owner.Find("#wipe").Displayed ? "" : null);
        object? Cut() => owner.Run("return document.querySelector('[data-side=after]').parentElement.style.clipPath");
        Assert.Equal("inset(0px 0px 0px 50%)", Cut());
        owner.Find("#wipe").SendKeys(Keys.Home);
        Assert.Equal("inset(0px 0px 0px 0%)", Cut());
        owner.IsAccessible();
        owner.Press("Edit");
        owner.Press("Publish");
        owner.WaitForText("is published");

        // The price of the first page is mended; the clone is told, and gets it with one press.
        owner.OpenEditor(site.Studio, editor, "49 euros");
        owner.ClickIn("[data-page]", "#price");
        owner.Control("a");
        owner.Type("39 euros" + Keys.Enter);
        owner.Press("Publish");
        owner.WaitForText("has changed since");
        owner.Press("Carry over");
        owner.WaitForText("In the original now\n39 euros");
        owner.IsAccessible();
        owner.Press("Carry over to the drafts");
        owner.WaitForText("Carried over to the draft of 1 clone.");
        var clone = pages.ClonesOf(page).Single();
        Assert.DoesNotContain("39 euros", pages.Source(clone), StringComparison.Ordinal);
        Assert.Contains(
            "39 euros",
            site.Host.Services.GetRequiredService<DraftStore>().For(clone).Source,
            StringComparison.Ordinal
        );
        Assert.DoesNotContain("has changed since", owner.Text, StringComparison.Ordinal);
    }

    private static void Select(Browser owner, string part)
    {
        // The list is made anew with every change of the page, so it is found and pressed in one go.
        owner.WaitFor(() =>
            owner.Run(
                "const part = [...document.querySelectorAll('.parts button')].find((each) => "
                    + "each.textContent.includes(arguments[0])); part?.click(); return Boolean(part)",
                part
            )
                is true
                ? ""
                : null
        );
        owner.WaitFor(() =>
            owner
                .All(".parts button[aria-current=true]")
                .FirstOrDefault(each => each.Text.Contains(part, StringComparison.Ordinal))
        );
    }

    private static void Key(Browser owner, string css, string keys)
    {
        owner.In("[data-page]", frame =>
        {
            frame.FindElement(By.CssSelector($"{css}[tabindex]")).SendKeys(keys);
            return "";
        });
    }

    internal static async Task<(PageId Page, string Editor)> PageAsync(Site site, string html)
    {
        var services = site.Host.Services;
        var funnel = await services.GetRequiredService<FunnelStore>().CreateAsync("Kit");
        var step = (
            await services.GetRequiredService<FunnelStore>().AddStepAsync(funnel.Id, StepKind.Sales, "Kit", "kit")
        )!;
        var page = await services.GetRequiredService<PageStore>().AddAsync(step.Id, "Found", PageBundle.OneFile(html));
        return (page, "/f/kit/kit/build/found");
    }
}
