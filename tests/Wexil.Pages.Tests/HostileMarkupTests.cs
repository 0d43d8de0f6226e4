using System.Diagnostics;
using CsCheck;
using Wexil.Pages.Importing;
using Wexil.Pages.Serving;
using Wexil.Pages.Source;

namespace Wexil.Pages.Tests;

/// <summary>Markup and style sheets that are written to keep a program busy.</summary>
[Trait("For", "security")]
public sealed class HostileMarkupTests
{
    private static readonly PageServing Serving = new(
        "index.html",
        "/p/p/",
        new("p", "s", "https://go.example", []),
        View: PageView.Editor
    );

    private static string Times(string text, int count) => string.Concat(Enumerable.Repeat(text, count));

    private static string Numbered(string before, int count) =>
        string.Concat(Enumerable.Range(0, count).Select(i => $"<{before} id={i}>"));

    public static TheoryData<string, string> Refused =>
        new()
        {
            { "end tags that end nothing", Times("<div></x>", 20_000) },
            { "the same, many more", Times("<div></x>", 450_000) },
            { "end tags that are looked for in vain", Times("<span>", 1_000) + Times("</x>", 190_000) },
            {
                "text styles that are opened again in every line",
                $"<div>{Numbered("b", 900)}</div>{Times("<div>x</div>", 2_000)}"
            },
            { "the same, deeper than allowed", $"<div>{Numbered("b", 1_100)}</div><div>x" },
            { "lists within lists", Times("<ul><li>", 5_000) },
        };

    [Theory]
    [MemberData(nameof(Refused))]
    public void What_would_take_minutes_is_refused_at_once(string what, string html)
    {
        Assert.True(PageSource.Problem(html) is not null, what);
        Assert.Throws<PageTooComplexException>(() => HostedHtml.Prepare(html, Serving));
    }

    [Theory]
    [InlineData("<p>word <b>word</b> <i>word</i></p>", 30_000)]
    [InlineData("<div><ul><li>one<li>two</ul><table><tr><td>x</table></div>", 8_000)]
    [InlineData("<p>short</font></b>", 20_000)]
    public void Long_pages_of_people_are_taken(string piece, int count) =>
        Assert.Null(PageSource.Problem(Times(piece, count)));

    [Theory]
    [InlineData("url(")]
    [InlineData("url(\"")]
    [InlineData("url(&quot;")]
    [InlineData("url(   ")]
    [InlineData("url(a&amp;")]
    [InlineData("@import   ")]
    [InlineData("@import \"")]
    [InlineData("url(x)")]
    public void A_style_sheet_is_read_in_one_pass(string piece)
    {
        // By the square of its length this took minutes.
        var css = Times(piece, 2_000_000 / piece.Length);
        Assert.InRange(PageReferences.FindInStyles(css, new("https://larkrow.example/a.css")).Count, 0, 1);
    }

    [Fact]
    [Trait("Pace", "slow")]
    public void Whatever_is_made_up_is_read_or_refused_within_two_seconds_and_200_MB()
    {
        string[] pieces =
        [
            "<div>",
            "</div>",
            "<b id=1>",
            "<b>",
            "</b>",
            "<i class=x>",
            "<a href=x>",
            "</a>",
            "<p>",
            "</p>",
            "</x>",
            "<span>",
            "<table>",
            "<tr><td>",
            "</table>",
            "<form>",
            "</form>",
            "<select><option>",
            "<svg>",
            "<math>",
            "</svg>",
            "<template>",
            "</template>",
            "<ul><li>",
            "<dl><dd>",
            "<nobr>",
            "<button>",
            "x",
            "<!--",
            "-->",
            "<style>",
            "</style>",
            "<script>",
            "</script>",
            "<img src=a ",
            "'",
            "\"",
            "=",
            "&amp;",
            "<body a=1>",
            "<frameset>",
            "<noscript>",
            "<textarea>",
            "<h1>",
            "</h2>",
            "url(",
            "<x y=1>",
            "<object>",
            "<ruby><rt>",
        ];
        Gen.Select(Gen.OneOf([.. pieces.Select(Gen.Const)]).Array[1, 6], Gen.Int[1, 60_000])
            .Array[1, 4]
            .AlwaysHolds(
                parts =>
                {
                    var html = string.Concat(
                        parts.Select(part => Times(string.Concat(part.Item1), part.Item2 / part.Item1.Length))
                    );
                    html = html[..Math.Min(html.Length, PageSource.MaxLength)];
                    // Alone it takes two at most; other tests run beside it.
                    var (watch, allocated) = (Stopwatch.StartNew(), GC.GetAllocatedBytesForCurrentThread());
                    if (PageSource.Problem(html) is null)
                        _ = HostedHtml.Prepare(html, Serving);
                    allocated = GC.GetAllocatedBytesForCurrentThread() - allocated;
                    Assert.True(watch.Elapsed < TimeSpan.FromSeconds(4), $"{watch.Elapsed} for {html.Length}");
                    Assert.True(allocated < 200e6, $"{allocated / 1e6:0} MB for {html.Length}");
                },
                iter: 100
            );
    }
}
