using System.Text.RegularExpressions;
using CsCheck;
using Wexil.Pages.Editing;
using Wexil.Pages.Serving;
using Wexil.Pages.Source;

namespace Wexil.Pages.Tests;

public sealed partial class SectionTests
{
    private static readonly PageServing Serving = new(
        "index.html",
        "/p/letter/",
        new("letter", "letter", "http://127.0.0.1:5081", ["/go/order"])
    );

    private static readonly Gen<string> Hosts = Gen.OneOf(MadeUpPage.Any.Select(page => page.Html), MadeUpPage.Garbage);

    private static readonly Gen<string> Versions = Gen.OneOf(
        Gen.Int[0, 999].Select(i => $"<h2 class=big>Version {i}</h2>"),
        Gen.Int[0, 999].Select(i => $"<p><a href=\"/go/order?k={i}\">Order {i}</a> <img src=v{i}.png></p>"),
        Gen.Const(""),
        MadeUpPage.Garbage
    );

    [Fact]
    public void A_page_put_together_is_the_page_as_a_person_would_have_written_it() =>
        Gen.Select(Hosts, Gen.Int[0, 10_000].Array[1, 4], Versions.Array[4])
            .AlwaysHolds(
                (html, picks, versions) =>
                {
                    var (marked, places) = Mark(html, picks);
                    var page = SectionedPage.Parse(marked);
                    Assert.Equal(html, page.Source);
                    Assert.Equal(places, page.Places.Select(place => (place.Start, place.End)));
                    var byHand = html;
                    for (var i = places.Count - 1; i >= 0; i--)
                        byHand = byHand[..places[i].Start] + versions[i] + byHand[places[i].End..];
                    var at = 0;
                    Assert.Equal(byHand, page.Compose((_, _) => versions[at++]));
                    Assert.Equal(html, page.Compose((_, first) => first));
                }
            );

    [Fact]
    public void Every_combination_is_served_as_the_page_written_by_hand_would_be() =>
        Gen.Select(Hosts, Gen.Int[0, 10_000].Array[1, 3], Versions.Array[6], Gen.Int[0, 2].Array[3])
            .AlwaysHolds(
                (html, picks, versions, choice) =>
                {
                    var page = SectionedPage.Parse(Mark(html, picks).Marked);
                    string VersionOf(int section, int which) => versions[2 * section + which - 1];
                    int Number(string key) => int.Parse(key.AsSpan(1));
                    var ready = ReadySections.Prepare(
                        page,
                        key => new Dictionary<string, string>
                        {
                            ["1"] = VersionOf(Number(key), 1),
                            ["2"] = VersionOf(Number(key), 2),
                        },
                        Serving
                    );
                    var byHand = page.Compose(
                        (place, first) =>
                            choice[Number(place.Key)] is > 0 and var which ? VersionOf(Number(place.Key), which) : first
                    );
                    var served = ready.Compose(key => choice[Number(key)] is > 0 and var which ? $"{which}" : null);
                    Assert.Equal(Unnumbered(HostedHtml.Prepare(byHand, Serving).Html), Unnumbered(served));
                }
            );

    [Fact]
    public void Versions_written_in_for_good_are_what_visitors_saw_and_the_other_sections_stay() =>
        Gen.Select(Hosts, Gen.Int[0, 10_000].Array[1, 4], Gen.Int[0, 999].Array[4], Gen.Bool.Array[4])
            .AlwaysHolds(
                (html, picks, numbers, kept) =>
                {
                    var (marked, _) = Mark(html, picks);
                    int Number(string key) => int.Parse(key.AsSpan(1));
                    string VersionOf(string key) => $"<h2>Version {numbers[Number(key)]}</h2>";
                    var written = WrittenSections.WriteIn(marked, (key, _) =>
                        kept[Number(key)] ? VersionOf(key) : null
                    );
                    var before = SectionedPage.Parse(marked);
                    Assert.Equal(
                        before.Compose((place, first) => kept[Number(place.Key)] ? VersionOf(place.Key) : first),
                        SectionedPage.Parse(written).Source
                    );
                    Assert.Equal(
                        before.Places.Where(place => !kept[Number(place.Key)]).Select(place => place.Key),
                        SectionedPage.Parse(written).Places.Select(place => place.Key)
                    );
                    Assert.Equal(html, WrittenSections.WriteIn(marked, (_, first) => first));
                }
            );

    [Fact]
    public void A_button_leads_where_it_says_in_whichever_version_it_stands()
    {
        var page = SectionedPage.Parse("<div><p data-wexil-section=offer><a href=\"/go/order?a=1\">A</a></p></div>");
        var ready = ReadySections.Prepare(
            page,
            _ => new Dictionary<string, string>
            {
                ["b"] = "<p><a href=\"/go/order?b=1\">B</a></p>",
                ["c"] = "<p><a href=\"/go/order?c=1\">C</a></p>",
            },
            Serving
        );
        foreach (var (name, target) in new[] { ("", "a=1"), ("b", "b=1"), ("c", "c=1") })
        {
            var button = Button().Match(ready.Compose(_ => name)).Groups[1].Value;
            var number = button.Length == 0 ? 0 : int.Parse(button.AsSpan("?button=".Length)) - 1;
            Assert.EndsWith(target, ready.BuyTargets[number], StringComparison.Ordinal);
        }
    }

    [Theory]
    [InlineData("<div>\n <p>A</p>\n <h2>B</h2>\n</div>", "<div>\n <h2>B</h2>\n <p>A</p>\n</div>")]
    [InlineData("<ul><li>A<li>B<li>C</ul>", "<ul><li>C<li>B<li>A</ul>")]
    [InlineData("<div>Words <b>A</b> and <b>B</b></div>", "<div>Words <b>B</b> and <b>A</b></div>")]
    [InlineData("<div><div><p>A</p><p>B</p></div></div>", "<div><div><p>B</p><p>A</p></div></div>")]
    [InlineData("<div><p>A</p></div>", null)]
    [InlineData("<p>A</p> <p>B</p>\n", "<p>B</p> <p>A</p>\n")]
    [InlineData("<h2>A</h2><script>a</script><p>B</p>", "<p>B</p><script>a</script><h2>A</h2>")]
    [InlineData("Words", null)]
    [InlineData("", null)]
    public void Parts_of_a_part_change_places(string source, string? turned)
    {
        Assert.Equal(turned, OtherOrder.Of(source));
        if (turned is not null)
            Assert.Equal(source, OtherOrder.Of(turned));
    }

    [Fact]
    public void A_version_that_leaves_a_comment_open_is_served_as_it_reads()
    {
        var page = SectionedPage.Parse("<p data-wexil-section=a>A</p><a href=\"x.html\">On</a>");
        var ready = ReadySections.Prepare(
            page,
            _ => new Dictionary<string, string> { ["b"] = "<p>B</p><!-- no end" },
            Serving
        );
        Assert.Contains("href=\"/p/letter/x.html\"", ready.Compose(_ => null), StringComparison.Ordinal);
        Assert.EndsWith("<!-- no end<a href=\"x.html\">On</a>", ready.Compose(_ => "b"), StringComparison.Ordinal);
    }

    [Fact]
    public void The_same_section_may_stand_in_two_places()
    {
        var page = SectionedPage.Parse("<b data-wexil-section=x>1</b> and <i data-wexil-section=\"x\">2</i>");
        Assert.Equal("<b>1</b> and <i>2</i>", page.Source);
        Assert.Equal("<u>N</u> and <u>N</u>", page.Compose((_, _) => "<u>N</u>"));
        Assert.Equal("<b>1</b>", page.First("x"));
        Assert.Null(page.First("y"));
    }

    [Theory]
    [InlineData("<div data-wexil-section=a><p data-wexil-section=b>x</p></div>", "<div><p>x</p></div>", 1)]
    [InlineData("<p data-wexil-section>x</p>", "<p>x</p>", 0)]
    [InlineData("<body data-wexil-section=a><p>x", "<body><p>x", 0)]
    [InlineData("<p>data-wexil-section</p>", "<p>data-wexil-section</p>", 0)]
    [InlineData("<p data-wexil-section-from=a>x</p>y<p data-wexil-section-to=a>z</p>", "<p>x</p>y<p>z</p>", 1)]
    [InlineData(
        "<p data-wexil-section-from=a>x</p><i>y</i><p data-wexil-section-to=a>z</p>",
        "<p>x</p><i>y</i><p>z</p>",
        1
    )]
    [InlineData("<p data-wexil-section-from=a>x</p><p>z</p>", "<p>x</p><p>z</p>", 0)]
    [InlineData("<p data-wexil-section-from=a>x</p><p data-wexil-section-to=b>z</p>", "<p>x</p><p>z</p>", 0)]
    [InlineData("<p data-wexil-section-to=a>x</p><p data-wexil-section-from=a>z</p>", "<p>x</p><p>z</p>", 0)]
    [InlineData("<p data-wexil-section-from=a>x</p></p><p data-wexil-section-to=a>z</p>", "<p>x</p></p><p>z</p>", 0)]
    public void A_section_is_a_whole_part_that_is_in_no_other(string marked, string source, int sections)
    {
        var page = SectionedPage.Parse(marked);
        Assert.Equal(source, page.Source);
        Assert.Equal(sections, page.Places.Count);
    }

    [Theory]
    [InlineData("<table><tr><td>x</td></tr></table>", "td", false)]
    [InlineData("<table><tr><td>x</td></tr></table>", "table", true)]
    [InlineData("<ul><li>x</li></ul>", "li", true)]
    [InlineData("<div data-wexil-section=a><p>x</p></div>", "p", false)]
    [InlineData("<div><p data-wexil-section=a>x</p></div>", "div", false)]
    public void A_part_can_be_marked_that_can_be_read_by_itself(string html, string name, bool can)
    {
        var node = SourceMap.Parse(html).Elements.Single(element => element.Name == name).Id;
        Assert.Equal(can, PageEditor.Apply(html, new PageEdit.MarkSection(node, "k")).Problem is null);
    }

    [Theory]
    [InlineData("<h2>x</h2><p>y</p>", true)]
    [InlineData("<h2>x</h2><script>a</script><p>y</p>", true)]
    [InlineData("<h2>x</h2>", false)]
    [InlineData("<table><tr><td><h2>x</h2></td><td>y</td></tr></table>", false)]
    [InlineData("<h2>x</h2><p data-wexil-section=a>y</p>", false)]
    [InlineData("<h2 data-wexil-section-from=a>x</h2><p data-wexil-section-to=a>y</p><p>z</p>", false)]
    [InlineData("<h2>x</h2></p><p>y</p>", false)]
    public void A_part_can_change_places_with_a_whole_part_below_that_is_in_no_section(string html, bool can)
    {
        var node = SourceMap.Parse(html).Elements.Single(element => element.Name == "h2").Id;
        var edited = PageEditor.Apply(html, new PageEdit.MarkSection(node, "k", WithNext: true));
        Assert.Equal(can, edited.Problem is null);
        if (edited.Source is { } marked)
            Assert.EndsWith("<p>y</p>", SectionedPage.Parse(marked).First("k"), StringComparison.Ordinal);
    }

    /// <summary>Marks some of the parts that can be sections, none within another; with their places before.</summary>
    private static (string Marked, IReadOnlyList<(int Start, int End)> Places) Mark(string html, int[] picks)
    {
        var marked = html;
        for (var i = 0; i < picks.Length; i++)
        {
            var count = SourceMap.Parse(marked).Elements.Count;
            if (count == 0)
                continue;
            var edit = new PageEdit.MarkSection(picks[i] / 2 % count, $"k{i}", WithNext: picks[i] % 2 == 1);
            marked = PageEditor.Apply(marked, edit).Source ?? marked;
        }
        var removed = 0;
        var places = new List<(int Start, int End)>();
        foreach (var element in SourceMap.Parse(marked).Elements)
        {
            foreach (var name in new[] { SectionMark.Attribute, SectionMark.From, SectionMark.To })
            {
                if (element.Tag[name] is not { } mark)
                    continue;
                if (name != SectionMark.To)
                    places.Add((element.Start - removed, 0));
                removed += mark.End - mark.Start + 1;
                places[^1] = places[^1] with { End = element.End - removed };
            }
        }
        return (marked, places);
    }

    // Buttons are numbered over all versions, and on a page written by hand over those that it has.
    private static string Unnumbered(string html) => Button().Replace(html, "/buy/letter");

    [GeneratedRegex(@"/buy/letter(\?button=\d+)?")]
    private static partial Regex Button();
}
