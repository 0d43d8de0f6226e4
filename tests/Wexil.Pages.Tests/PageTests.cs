using System.IO.Compression;
using System.Text;
using CsCheck;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;
using Wexil.Pages.Source;

namespace Wexil.Pages.Tests;

public sealed partial class PageTests
{
    [Theory]
    [InlineData("<img src=pic.png>", "<img src=/p/kit/pic.png>")]
    [InlineData("<A  HREF='deep/two.html?x=1#y'>", "<A  HREF='/p/kit/deep/two.html?x=1#y'>")]
    [InlineData("<img srcset=\"a.png 1x, b.png 2x\">", "<img srcset=\"/p/kit/a.png 1x, /p/kit/b.png 2x\">")]
    [InlineData("<p style=\"background:url('bg.jpg')\">", "<p style=\"background:url('/p/kit/bg.jpg')\">")]
    [InlineData("<style>b{background:url(bg.jpg)}</style>", "<style>b{background:url(/p/kit/bg.jpg)}</style>")]
    [InlineData("<base href=\"sub/\"><img src=pic.png>", "<base href=\"/p/kit/sub/\"><img src=pic.png>")]
    public void Relative_references_lead_into_the_pages_folder(string html, string expected) =>
        Assert.Equal(expected, Prepared(html));

    [Theory]
    [InlineData("<a href=\"#signup\">x</a><a href=\"#!\">")]
    [InlineData("<a href=\"https://a.example/x.css\"><link href=\"//cdn.example/x.css\"><a href='mailto:a@b.example'>")]
    [InlineData("<img src=\"data:image/gif;base64,R0lGODlhAQABAAAAACw=\">")]
    [InlineData("<p>broken <b>markup <td> & stray < signs\r\n<!-- <img src=pic.png> -->")]
    [InlineData("<script>var a = '<img src=pic.png>';</script>")]
    [InlineData("<form action=\"https://mail.example/join\"><input type=email name=e></form>")]
    public void Everything_else_stays_as_it_was_written(string html) => Assert.Equal(html, Prepared(html));

    /// <summary>Pages as they are found in the world: nothing of them changes but the one reference.</summary>
    [Theory]
    [InlineData(
        "<!DOCTYPE HTML PUBLIC \"-//W3C//DTD HTML 4.01//EN\"><HTML><BODY BGCOLOR=white><CENTER><FONT "
            + "SIZE=7>BUY<P><TABLE><TR><TD>x<IMG SRC=$>"
    )]
    [InlineData("<p>a<table><b>misnested<tr><td>1</b><td>2</table><img src='$'></p></p></div>")]
    [InlineData(
        "<title>1 < 2 && 3 > 2</title>text before <html> any <head> tag <img\n\tsrc = \"$\"\n/ ><body class=late>"
    )]
    [InlineData(
        "<script>document.write('<img src=\"other.png\">'); if (a</b/.test(x)) '</scr' + "
            + "'ipt>';</script><noscript><img src=\"$\"></noscript>"
    )]
    [InlineData(
        "<svg viewBox='0 0 1 1'><defs><linearGradient id=g /></defs><path d='M0 0'/><image "
            + "href='$'/><style>path { fill: url(#g) }</style></svg>"
    )]
    [InlineData("<!-- <img src=\"old.png\"> --><![CDATA[ <b> ]]><?php echo '<i>' ?><img src=\"$\" alt='a > b'>")]
    [InlineData(
        "<template><img src=inside.png></template><select><option>1<option>2</select><textarea><img "
            + "src=t.png></textarea><img src=\"$\">"
    )]
    [InlineData(
        "<a href=\"//cdn.example/x\"><a href=\"https://x.example\"><a href=\"?page=2\"><a "
            + "href=\"JavaScript:go()\"><img src=\"$\"><img src=\"data:image/png;base64,AA==\">"
    )]
    [InlineData(
        "<div itemscope data-x='{\"src\": \"y.png\"}'><img data-src=lazy.png src=\"$\" "
            + "loading=lazy></div>\r\n\r<br/>\u00A0&nbsp;&copy;&unknown; é 🌱"
    )]
    public void A_hard_page_is_served_as_it_came(string html)
    {
        Assert.Equal(
            html.Replace("$", "/p/kit/img/pic.png", StringComparison.Ordinal),
            Prepared(html.Replace("$", "img/pic.png", StringComparison.Ordinal))
        );
        // And every part of it has a place from which the page can be put together again.
        var map = SourceMap.Parse(html);
        Assert.All(map.Elements, element =>
            Assert.True(
                element.Start < element.OpenEnd
                    && element.OpenEnd <= element.CloseStart
                    && element.CloseStart <= element.End
                    && element.End <= html.Length,
                element.Name
            )
        );
    }

    private static readonly string[] Fragments =
    [
        "<",
        ">",
        "</",
        "<p",
        "<b>",
        "</b>",
        "<a id=",
        "\"",
        "'",
        "x",
        " ",
        "=",
        "<!--",
        "-->",
        "<script>",
        "</script>",
        "<table>",
        "<td>",
        "<svg>",
        "</svg>",
        "/>",
        "&",
        "\0",
        "é",
    ];

    [Fact]
    public void Any_text_at_all_is_served_without_losing_a_character() =>
        Gen.Int[0, Fragments.Length - 1]
            .Select(i => Fragments[i])
            .Array[0, 40]
            .AlwaysHolds(
                parts =>
                {
                    var html = string.Concat(parts);
                    Assert.Equal(html, Prepared(html));
                },
                iter: 3000
            );

    [Fact]
    public void Places_are_right_behind_line_ends_of_every_kind_and_characters_of_any_width() =>
        Assert.Equal(
            "<p>é 🌱\r\n\r\n<img\r\n src=\"/p/kit/a.png\">\r<img src=/p/kit/b.png>\n",
            Prepared("<p>é 🌱\r\n\r\n<img\r\n src=\"a.png\">\r<img src=b.png>\n")
        );

    [Fact]
    public void An_opt_in_form_that_leads_nowhere_is_wired_to_its_page()
    {
        var html = Prepared(
            "<form class=f method=get action=\"#\"><input type=\"email\" id=e><button>Go</button></form>"
        );
        Assert.Equal(
            "<form class=f method=\"post\" action=\"/p/kit/opt-in\">|<input name=\"email\" type=\"email\" "
                + "id=e><button>Go</button></form>",
            Trap().Replace(html, "|")
        );
    }

    [Theory]
    [InlineData("fetch('prices.json')", true)]
    [InlineData("import('./x.js')", true)]
    [InlineData("document.querySelector('a').addEventListener('click', go)", false)]
    [InlineData("/* Use this file to add JavaScript to your project */", false)]
    public void Scripts_that_build_addresses_are_recognised(string script, bool builds) =>
        Assert.Equal(builds, HostedHtml.BuildsAddresses(script));

    [Fact]
    public void Text_is_read_in_the_encoding_it_was_saved_in()
    {
        Assert.Equal("Größe €", PageText.Decode(Encoding.UTF8.GetBytes("Größe €")));
        Assert.Equal(
            "<meta charset=windows-1252>Größe €",
            PageText.Decode([.. "<meta charset=windows-1252>"u8, .. "Gr"u8, 0xF6, 0xDF, .. "e "u8, 0x80])
        );
        Assert.Equal("é", PageText.Decode([0xFF, 0xFE, 0xE9, 0x00]));
    }

    [Fact]
    public void A_zip_gives_its_files_without_the_folder_around_them()
    {
        var (page, problem) = PageArchive.Read(
            Zip(("dist/index.html", "<h1>x"), ("dist/css/a.css", "b{}"), ("__MACOSX/dist/._index.html", "")),
            new()
        );
        Assert.Null(problem);
        Assert.Equal("index.html", page!.Entry);
        Assert.Equal(["css/a.css", "index.html"], page.Files.Select(file => file.Path).Order());
    }

    [Theory]
    [InlineData("../evil.html", "a path outside")]
    [InlineData("/evil.html", "a path outside")]
    [InlineData("setup.exe", "a file type that cannot be imported")]
    [InlineData("readme.txt", "no .html")]
    public void A_zip_that_cannot_be_taken_in_says_why(string path, string why) =>
        Assert.Contains(why, PageArchive.Read(Zip((path, "x")), new()).Problem);

    [Fact]
    public void A_zip_that_unpacks_to_more_than_allowed_is_refused_before_it_fills_memory()
    {
        var bomb = Zip(("index.html", new string('x', 3_000_000)));
        Assert.Contains("larger than", PageArchive.Read(bomb, new ArchiveLimits(FileBytes: 1 << 20)).Problem);
        Assert.Contains(
            "at most 1",
            PageArchive.Read(Zip(("a.html", ""), ("b.html", "")), new ArchiveLimits(Files: 1)).Problem
        );
        Assert.Contains(
            "cannot be opened as a .zip",
            PageArchive.Read(new MemoryStream("no zip"u8.ToArray()), new()).Problem
        );
    }

    private static readonly WiringPlan Plan = new(
        "kit",
        "sales",
        "https://go.larkrow.example",
        ["till.example/pay", "/go/till"]
    );

    private static string Prepared(string html) => HostedHtml.Prepare(html, new("index.html", "/p/kit/", Plan)).Html;

    [Fact]
    public void What_tools_leave_in_a_folder_does_not_keep_a_zip_out_and_a_page_for_errors_is_not_the_page()
    {
        var (page, problem) = PageArchive.Read(
            Zip(
                (".git/HEAD", "ref"),
                (".editorconfig", "x"),
                ("site/.nojekyll", ""),
                ("404.html", "<h1>Gone"),
                ("site/index.html", "<h1>x")
            ),
            new()
        );
        Assert.Null(problem);
        Assert.Equal(
            ["404.html", "site/index.html"],
            page!.Files.Select(file => file.Path).Order(StringComparer.Ordinal)
        );
        Assert.Equal("site/index.html", page.Entry);
        foreach (var aside in new[] { "404.html", "en/500.htm", "google1a2b3c4d5e6f7a8b.html", "not-found.html" })
            Assert.True(PageBundle.IsAside(aside), aside);
        foreach (var proper in new[] { "index.html", "40400.html", "google.html", "errors-we-made.html" })
            Assert.False(PageBundle.IsAside(proper), proper);
    }

    [Fact]
    public void Anything_at_all_that_calls_itself_a_zip_is_taken_in_or_refused_in_words() =>
        Gen
            .Byte.Array[0, 60]
            .AlwaysHolds(
                bytes =>
                {
                    foreach (
                        var content in new[]
                        {
                            bytes,
                            [.. "PK\x03\x04"u8, .. bytes],
                            [.. bytes, .. "PK\x05\x06"u8, .. new byte[18]],
                        }
                    )
                    {
                        var (page, problem) = PageArchive.Read(new MemoryStream(content), new());
                        Assert.True(page is null != problem is null);
                    }
                },
                iter: 2000
            );

    [Theory]
    [InlineData("no tags here", "no tags")]
    [InlineData("a < b and c > d", "no tags")]
    [InlineData("<p>\0</p>", "not a text file")]
    [InlineData("<p>short", null)]
    [InlineData("just <b>a word", null)]
    public void Only_HTML_is_a_page(string source, string? problem)
    {
        if (problem is null)
            Assert.Null(PageSource.Problem(source));
        else
            Assert.Contains(problem, PageSource.Problem(source), StringComparison.Ordinal);
    }

    [Fact]
    public void A_page_is_refused_one_level_deeper_than_allowed_and_a_long_flat_one_is_not()
    {
        static string Nested(int depth) =>
            string.Concat(Enumerable.Repeat("<div>", depth)) + "x" + string.Concat(Enumerable.Repeat("</div>", depth));
        Assert.Null(PageSource.Problem(Nested(PageSource.MaxDepth)));
        Assert.Contains(
            "nested more than 1,000 deep",
            PageSource.Problem(Nested(PageSource.MaxDepth + 1)),
            StringComparison.Ordinal
        );
        Assert.Contains(
            "nested",
            PageSource.Problem(string.Concat(Enumerable.Repeat("<div>", 20_000))),
            StringComparison.Ordinal
        );
        Assert.Contains(
            "nested",
            PageSource.Problem(string.Concat(Enumerable.Repeat("<span><b>", 20_000))),
            StringComparison.Ordinal
        );
        foreach (
            var flat in new[]
            {
                "<p>x",
                "<li>x",
                "<br>",
                "<img src=a>",
                "<tr><td>x",
                "<option>x",
                "<div>x</div>",
                "<script>'<div><div>'</script>",
                "<!-- <div><div> -->",
            }
        )
            Assert.Null(PageSource.Problem("<main>" + string.Concat(Enumerable.Repeat(flat, 5_000))));
    }

    [Theory]
    [InlineData("<link rel=icon href=/icon.svg>", "<link rel=icon href=/p/kit/icon.svg>")]
    [InlineData("<img src='/img/a%20b.png?v=2'>", "<img src='/p/kit/img/a%20b.png?v=2'>")]
    [InlineData("<a href=/about.html#us>", "<a href=/p/kit/about.html#us>")]
    [InlineData("<p style='background:url(/icon.svg)'>", "<p style='background:url(/p/kit/icon.svg)'>")]
    [InlineData("<a href=/><a href=/go/thanks><img src=//icon.svg><img src=/p/kit/icon.svg><img src=/none.png>", null)]
    public void Paths_from_the_root_of_the_site_lead_to_the_files_that_came_along(string html, string? expected)
    {
        string[] files = ["icon.svg", "img/a b.png", "about.html"];
        var served = HostedHtml
            .Prepare(html, new("index.html", "/p/kit/", new("kit", "kit", "http://127.0.0.1", []), Has: files.Contains))
            .Html;
        Assert.Equal(expected ?? html, served);
        Assert.Equal(
            "b{background:url(/p/kit/icon.svg)} i{background:url(/none.png)} u{background:url(a.png)}",
            HostedHtml.RootedStyles(
                "b{background:url(/icon.svg)} i{background:url(/none.png)} u{background:url(a.png)}",
                "/p/kit/",
                files.Contains
            )
        );
    }

    private static MemoryStream Zip(params (string Path, string Text)[] files)
    {
        var stream = new MemoryStream();
        using (var archive = new ZipArchive(stream, ZipArchiveMode.Create, leaveOpen: true))
        {
            foreach (var (path, text) in files)
            {
                using var writer = new StreamWriter(archive.CreateEntry(path).Open());
                writer.Write(text);
            }
        }
        stream.Position = 0;
        return stream;
    }

    /// <summary>The field that only programs fill in.</summary>
    [System.Text.RegularExpressions.GeneratedRegex(
        "<span [^>]*aria-hidden[^>]*><input name=\"wx_leave_empty\"[^>]*></span>"
    )]
    private static partial System.Text.RegularExpressions.Regex Trap();
}
