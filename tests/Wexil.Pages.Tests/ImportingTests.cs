using CsCheck;
using Wexil.Core.Pages;
using Wexil.Pages.Importing;

namespace Wexil.Pages.Tests;

public sealed class ImportingTests
{
    private static readonly Uri Page = new("https://larkrow.example/shop/kit.html");

    [Theory]
    [InlineData("<img src=a.png>", "https://larkrow.example/shop/a.png", "<img src=F>")]
    [InlineData("<img src='//cdn.example/a.png?x=1&amp;y=2'>", "https://cdn.example/a.png?x=1&y=2", "<img src='F'>")]
    [InlineData("<base href=/deep/><img src=a.png>", "https://larkrow.example/deep/a.png", "<img src=F>")]
    [InlineData(
        "<base target=_blank><img src=a.png>",
        "https://larkrow.example/shop/a.png",
        "<base target=_blank><img src=F>"
    )]
    [InlineData(
        "<link rel='Shortcut Icon' href=/i.ico>",
        "https://larkrow.example/i.ico",
        "<link rel='Shortcut Icon' href=F>"
    )]
    [InlineData(
        "<source srcset='a.png 1x, b c.png'>",
        "https://larkrow.example/shop/a.png",
        "<source srcset='F 1x, F c.png'>"
    )]
    [InlineData(
        "<svg><image xlink:href=a.png#p></svg>",
        "https://larkrow.example/shop/a.png",
        "<svg><image xlink:href=F#p></svg>"
    )]
    [InlineData("<td background=a.gif>", null, "<td background=a.gif>")]
    [InlineData("<table background=a.gif>", "https://larkrow.example/shop/a.gif", "<table background=F>")]
    [InlineData(
        "<div style=\"background:url('a.png')\">",
        "https://larkrow.example/shop/a.png",
        "<div style=\"background:url('F')\">"
    )]
    [InlineData(
        "<style>@import 'a.css'; b{c:url( \"b.png\" )}</style>",
        "https://larkrow.example/shop/a.css",
        "<style>@import 'F'; b{c:url( \"F\" )}</style>"
    )]
    [InlineData("<a href=next.html>", null, "<a href=https://larkrow.example/shop/next.html>")]
    [InlineData(
        "<a href='#top'><a href='mailto:a@b.example'><img src='data:image/gif;base64,R0'>",
        null,
        "<a href='#top'><a href='mailto:a@b.example'><img src='data:image/gif;base64,R0'>"
    )]
    [InlineData(
        "<iframe src=//video.example/1></iframe><script>var s = 'src=\"x.png\"'</script>",
        null,
        "<iframe src=https://video.example/1></iframe><script>var s = 'src=\"x.png\"'</script>"
    )]
    [InlineData(
        "<link rel=alternate href=feed.xml><link rel=preconnect href=//x.example>",
        null,
        "<link rel=alternate href=https://larkrow.example/shop/feed.xml><link rel=preconnect href=https://x.example/>"
    )]
    public void What_a_page_needs_is_found_and_rewritten_and_links_lead_where_they_led(
        string html,
        string? first,
        string rewritten
    )
    {
        var needs = PageReferences.Find(html, Page);
        Assert.Equal(first, needs.Count > 0 ? needs[0].AbsoluteUri : null);
        Assert.Equal(rewritten, PageReferences.Rewrite(html, Page, _ => "F"));
    }

    [Theory]
    [InlineData("image/jpeg", "/pic", ".jpg")]
    [InlineData("image/png", "/pic.jpeg", ".jpeg")]
    [InlineData("text/css", "/style.php", ".css")]
    [InlineData("application/x-javascript", "/app.js", ".js")]
    [InlineData("application/octet-stream", "/font.woff2", ".woff2")]
    [InlineData("text/html", "/not-a-picture.png", null)]
    [InlineData("application/x-msdownload", "/setup.exe", null)]
    [InlineData("", "/unknown", null)]
    public void A_file_is_kept_by_what_its_server_calls_it(string type, string path, string? extension) =>
        Assert.Equal(extension, ContentTypes.Extension(type, path));

    [Fact]
    public void A_change_of_text_cuts_no_character_in_half() =>
        Assert.Equal(new TextChange(1, "🌱", "🌿"), TextChange.Between("a🌱b", "a🌿b"));

    [Fact]
    public void A_change_of_text_leads_forth_and_back() =>
        Gen.Select(Gen.String, Gen.String, Gen.String)
            .AlwaysHolds(
                (shared, before, after) =>
                {
                    var (one, two) = (shared + before + shared, shared + after + shared);
                    var change = TextChange.Between(one, two);
                    Assert.Equal(two, change.Apply(one));
                    Assert.Equal(one, change.Reversed.Apply(two));
                    Assert.True(
                        change.Removed.Length + change.Inserted.Length
                            <= before.Length
                                + after.Length
                                + (2 * Math.Min(shared.Length, Math.Min(before.Length, after.Length)))
                    );
                }
            );

    [Fact]
    public void The_lines_that_start_a_test_stay_behind() =>
        Assert.Equal(
            "<head><title>A</title></head><p>x",
            PageReferences.Rewrite(
                "<head><script data-wexil-start>go()</script><title>A</title></head><p>x",
                new("https://larkrow.example/a"),
                _ => null
            )
        );
}
