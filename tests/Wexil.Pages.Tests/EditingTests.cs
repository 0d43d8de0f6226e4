using CsCheck;
using Wexil.Pages.Editing;
using Wexil.Pages.Serving;
using Wexil.Pages.Source;

namespace Wexil.Pages.Tests;

public sealed class EditingTests
{
    [Theory]
    [InlineData("<p>one<p>two", "p", "<p>one")]
    [InlineData("<ul><li>one<li>two</ul>", "li", "<li>one")]
    [InlineData("<div><p>a</div>b", "p", "<p>a")]
    [InlineData("<div>a</font><b>c</b></div>", "div", "<div>a</font><b>c</b></div>")]
    [InlineData("<div><!-- </div> --><i>x</i></div>!", "div", "<div><!-- </div> --><i>x</i></div>")]
    [InlineData("<DIV>a < b</DIV >c", "div", "<DIV>a < b</DIV >")]
    [InlineData("<a href='x>y'>t</a>", "a", "<a href='x>y'>t</a>")]
    [InlineData("<script>if (a</b>0) '</p>'</script><p>", "script", "<script>if (a</b>0) '</p>'</script>")]
    [InlineData("<table><tr><td>1<td>2</table>", "td", "<td>1")]
    [InlineData("<svg><path d='M0'/><g/></svg>", "g", "<g/>")]
    [InlineData("<!-- <svg> --><style><svg></style>x<svg a=1><path/></svg>y", "svg", "<svg a=1><path/></svg>")]
    [InlineData("<select><option>a<option>b</select>", "option", "<option>a")]
    [InlineData("<p>a<div>b</div>", "p", "<p>a")]
    [InlineData("<template><p>x</template>y", "template", "<template><p>x</template>")]
    [InlineData("<b>open to the end", "b", "<b>open to the end")]
    public void The_place_of_an_element_is_known_in_markup_of_every_kind(string html, string tag, string outer)
    {
        var map = SourceMap.Parse(html);
        Assert.Equal(outer, map.Outer(map.Elements.First(element => element.Name == tag)));
    }

    [Fact]
    public void Misnested_markup_is_left_to_the_source()
    {
        const string html = "<div><table><b>one</b><tr><td>two</table></div>";
        var map = SourceMap.Parse(html);
        Assert.Contains(
            "not well formed",
            PageEditor.Apply(html, new PageEdit.Remove(map.Elements.First(element => !element.IsWhole).Id)).Problem
        );
    }

    [Fact]
    public void Taking_an_element_out_leaves_every_other_character_of_any_page() =>
        Gen.Select(MadeUpPage.Any, Gen.Int[0, 10_000])
            .AlwaysHolds(
                (page, pick) =>
                {
                    var map = SourceMap.Parse(page.Html);
                    var candidates = map
                        .Elements.Where(element => element.Name is "section" or "p" or "img" or "ul" or "a" or "h2")
                        .ToArray();
                    var node = candidates[pick % candidates.Length];
                    var left = PageEditor.Apply(page.Html, new PageEdit.Remove(node.Id)).Source!;
                    var expected = page.Html.Remove(node.Start, node.End - node.Start);
                    Assert.Equal(
                        string.Concat(expected.Where(c => !char.IsWhiteSpace(c))),
                        string.Concat(left.Where(c => !char.IsWhiteSpace(c)))
                    );
                }
            );

    [Fact]
    public void Moving_down_and_up_again_gives_the_page_back() =>
        Gen.Select(MadeUpPage.Any, Gen.Int[0, 100])
            .AlwaysHolds(
                (page, pick) =>
                {
                    var sections = SourceMap
                        .Parse(page.Html)
                        .Elements.Where(element => element.Name == "section")
                        .ToArray();
                    var at = pick % (sections.Length - 1);
                    var down = PageEditor.Apply(page.Html, new PageEdit.Move(sections[at].Id, Down: true)).Source!;
                    Assert.NotEqual(page.Html, down);
                    var moved = SourceMap
                        .Parse(down)
                        .Elements.First(element => element.Element.Id == sections[at].Element.Id);
                    Assert.Equal(page.Html, PageEditor.Apply(down, new PageEdit.Move(moved.Id, Down: false)).Source);
                }
            );

    [Fact]
    public void Words_change_and_what_was_not_touched_stays_as_it_was_written()
    {
        const string html =
            "<h1 class=x>Salad &mdash; <em style=\"color:red\">fresh</em> &amp; cheap <svg><path/></svg></h1>";
        var typed =
            "Lettuce — <em data-wx=\"4\" onclick=\"x()\">fresh</em> &amp; cheap <svg "
            + "data-wx=\"5\"></svg><script>x()</script><b>today</b>&nbsp;<div>now<img src=x onerror=y></div>";
        var id = SourceMap.Parse(html).Elements.Single(element => element.Name == "h1").Id;
        Assert.Equal(0, id);
        var edited = PageEditor.Apply(
            html,
            new PageEdit.Text(
                0,
                typed
                    .Replace("data-wx=\"4\"", "data-wx=\"1\"", StringComparison.Ordinal)
                    .Replace("data-wx=\"5\"", "data-wx=\"2\"", StringComparison.Ordinal)
            )
        );
        Assert.Equal(
            "<h1 class=x>Lettuce — <em style=\"color:red\">fresh</em> &amp; cheap "
                + "<svg><path/></svg><b>today</b> <br>now</h1>",
            edited.Source
        );
        Assert.Equal(
            html,
            PageEditor
                .Apply(html, new PageEdit.Text(0, "Salad — <em data-wx=1>fresh</em> &amp; cheap <svg data-wx=2></svg>"))
                .Source
        );
    }

    [Fact]
    public void Going_into_a_text_and_out_again_leaves_the_page_byte_for_byte() =>
        Gen.OneOf(MadeUpPage.Any.Select(page => (page.Html, true)), MadeUpPage.Garbage.Select(html => (html, false)))
            .AlwaysHolds(
                (html, isWellFormed) =>
                {
                    // As the frame has it: what the server sent, parsed by a browser, read back.
                    var plan = new WiringPlan("p", "s", "https://go.example", []);
                    var framed = new AngleSharp.Html.Parser.HtmlParser().ParseDocument(
                        HostedHtml.Prepare(html, new("index.html", "/p/p/", plan, View: PageView.Editor)).Html
                    );
                    foreach (
                        var element in SourceMap
                            .Parse(html)
                            .Elements.Where(element =>
                                element is { IsWhole: true, Name: "p" or "h1" or "li" or "a" or "td" or "h2" or "b" }
                            )
                    )
                    {
                        if (
                            framed.QuerySelector($"[data-wx='{element.Id}']") is not { } there
                            || there.QuerySelector(":not(b):not(a):not(br):not(i)") is not null
                        )
                            continue;
                        if (
                            PageEditor.Apply(html, new PageEdit.Text(element.Id, there.InnerHtml))
                            is not { Source: { } edited }
                        )
                            Assert.False(isWellFormed);
                        else if (isWellFormed)
                            Assert.Equal(html, edited);
                        // What no browser shows, such as a stray end tag, may go; what is read stays.
                        else
                            Assert.Equal(Read(html), Read(edited));
                    }
                },
                iter: 2000
            );

    /// <summary>What there is to read on a page, wherever a browser puts what stands astray in tables.</summary>
    private static string Read(string html) =>
        string.Concat(SourceMap.Parse(html).Document.Body!.TextContent.Where(c => !char.IsWhiteSpace(c)).Order());

    [Fact]
    public void No_edit_of_any_markup_fails_otherwise_than_with_a_sentence() =>
        Gen.Select(MadeUpPage.Garbage, Gen.Int[0, 40], Gen.Int[0, 8])
            .AlwaysHolds(
                (html, node, kind) =>
                {
                    PageEdit edit = kind switch
                    {
                        0 => new PageEdit.Text(node, "new <b>words</b>"),
                        1 => new PageEdit.Move(node, Down: true),
                        2 => new PageEdit.Move(node, Down: false),
                        3 => new PageEdit.Duplicate(node),
                        4 => new PageEdit.Hide(node),
                        5 => new PageEdit.Remove(node),
                        6 => new PageEdit.Insert(node, "guarantee"),
                        7 => new PageEdit.Look(node, "color", "#123"),
                        _ => new PageEdit.Settings(new("t", "d", "", "<meta>", "<i>")),
                    };
                    var edited = PageEditor.Apply(html, edit);
                    Assert.True(edited.Source is not null ^ edited.Problem is not null);
                    if (kind is 1 or 2 && edited.Source is not null)
                        Assert.Equal(html.Order(), edited.Source.Order());
                    if (kind == 5 && edited.Source is not null)
                        Assert.True(edited.Source.Length < html.Length);
                },
                iter: 5000
            );

    [Theory]
    [InlineData(
        "<section style=\"background: #eee url('old.jpg') center\"><p>x</p></section>",
        "<section style=\"background: #eee url('files/new.jpg') center\"><p>x</p></section>"
    )]
    [InlineData(
        "<header class=hero><p>x</p></header>",
        "<header style=\"background-image: url('files/new.jpg') !important\" class=hero><p>x</p></header>"
    )]
    public void A_background_picture_is_changed_where_the_part_names_it_and_else_by_a_rule_of_the_page(
        string html,
        string expected
    )
    {
        Assert.Equal(expected, PageEditor.Apply(html, new PageEdit.Background(0, "files/new.jpg")).Source);
        foreach (var bad in new[] { "javascript:x", "a'b.png", "a)b.png", "" })
            Assert.NotNull(PageEditor.Apply(html, new PageEdit.Background(0, bad)).Problem);
    }

    [Fact]
    public void What_a_frame_says_cannot_bring_script_into_the_page() =>
        Gen.OneOf(
                Gen.Const("<script>x</script>"),
                Gen.Const("<img src=x onerror=y>"),
                Gen.Const("<a href=javascript:x data-wx=1>t</a>"),
                Gen.Const("<svg onload=x>"),
                Gen.Const("<iframe srcdoc=x>"),
                Gen.Const("<b onclick=x data-wx=99>"),
                Gen.String
            )
            .Array[1, 6]
            .AlwaysHolds(parts =>
            {
                const string html = "<p>a <i>b</i></p>";
                var edited = PageEditor.Apply(html, new PageEdit.Text(0, string.Concat(parts))).Source!;
                foreach (var element in SourceMap.Parse(edited).Document.Body!.QuerySelectorAll("*"))
                {
                    Assert.Empty(element.Attributes);
                    Assert.DoesNotContain(element.LocalName, new[] { "script", "img", "iframe", "svg", "a" });
                }
            });

    [Fact]
    public void A_picture_a_button_and_a_form_are_changed_by_what_they_are()
    {
        const string html =
            "<picture><source srcset=a.webp>\n<img src=a.png srcset='a2.png 2x' alt=''></picture><a "
            + "class=btn href=#>Go</a><form action=https://mail.example/x method=get><input type=email></form>";
        var map = SourceMap.Parse(html);
        int Id(string tag) => map.Elements.First(element => element.Name == tag).Id;
        var picture = PageEditor
            .Apply(html, new PageEdit.Picture(Id("img"), "files/b.png", "A \"rail\" planter"))
            .Source!;
        Assert.StartsWith("<picture>\n<img src=\"files/b.png\" alt=\"A &quot;rail&quot; planter\"></picture>", picture);
        Assert.Contains(
            "<a style=\"background-color: #a3271f\" class=btn",
            PageEditor.Apply(html, new PageEdit.Look(Id("a"), "background-color", "#a3271f")).Source
        );
        Assert.Contains("data-wexil=\"buy\"", PageEditor.Apply(html, new PageEdit.Role(Id("a"), LinkRole.Buy)).Source);
        Assert.Contains("<form><input", PageEditor.Apply(html, new PageEdit.TakeForm(Id("form"))).Source);
        Assert.NotNull(PageEditor.Apply(html, new PageEdit.Address(Id("a"), "javascript:alert(1)")).Problem);
        Assert.NotNull(
            PageEditor.Apply(html, new PageEdit.Look(Id("a"), "color", "red; background: url(//x)")).Problem
        );
        Assert.NotNull(PageEditor.Apply(html, new PageEdit.Remove(900)).Problem);
    }

    [Fact]
    public void Every_block_goes_in_with_the_look_of_the_pages_own_button()
    {
        const string html =
            "<main>\n  <h1>x</h1>\n  <nav><button class=\"menu-toggle\">Menu</button><a class=btn "
            + "href=#>Contact</a></nav><p><a class=\"btn big\" href=#>Go</a></p>\n</main>";
        foreach (var block in Block.All)
        {
            var source = PageEditor.Apply(html, new PageEdit.Insert(1, block.Key)).Source!;
            Assert.Contains($"</h1>\n  <", source);
            Assert.Contains($"data-block=\"{block.Key}\"", source);
            Assert.DoesNotContain("data-look", source);
        }
        Assert.Contains("<button class=\"btn big\">", PageEditor.Apply(html, new PageEdit.Insert(1, "opt-in")).Source);
    }

    [Fact]
    public void Settings_are_read_back_as_they_were_written()
    {
        var settings = new PageSettings(
            "Salad & more",
            "In \"21\" days",
            "https://x.example/a.png",
            "<meta name=a>",
            "<script>1</script>"
        );
        foreach (
            var html in new[]
            {
                "<!doctype html><html><head><title>t</title></head><body>x</body></html>",
                "<p>no head at all",
                "<!doctype html><title>old</title><meta name=Description content=x><h1>y",
            }
        )
        {
            var written = PageEditor.Apply(html, new PageEdit.Settings(settings)).Source!;
            Assert.Equal(settings, PageSettings.Read(written));
            var without = settings with { HeadCode = "", BodyCode = "" };
            Assert.Equal(without, PageSettings.Read(PageEditor.Apply(written, new PageEdit.Settings(without)).Source!));
        }
    }
}
