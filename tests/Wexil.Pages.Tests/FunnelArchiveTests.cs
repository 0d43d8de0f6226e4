using System.IO.Compression;
using System.Text;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Pages.Importing;

namespace Wexil.Pages.Tests;

/// <summary>A whole funnel goes out as a .zip and comes back.</summary>
public sealed class FunnelArchiveTests
{
    [Fact]
    public void A_funnel_comes_back_from_its_zip_as_it_went_out()
    {
        var plan = new FunnelPlan(
            "Größe & more",
            [
                new(
                    StepKind.OptIn,
                    "Start",
                    "start",
                    [
                        new("A", Bundle("<h1>a", ("i/x.svg", "<svg/>")), null),
                        new("A", Bundle("<h1>b"), null, Parent: 0, IsIndexed: true),
                    ],
                    Yes: 2,
                    Shown: 1
                ),
                new(StepKind.Checkout, "Till", "till", [new("Till", null, new("https://till.example/pay?x=1#y"))]),
                new(StepKind.ThankYou, "End", "end", []),
            ]
        );
        var zip = FunnelArchive.Write(plan);
        var (back, problem) = FunnelArchive.Read(new MemoryStream(zip), new());
        Assert.Null(problem);
        // Also when it is packed at another time.
        Assert.All(new ZipArchive(new MemoryStream(zip)).Entries, entry =>
            Assert.Equal(1980, entry.LastWriteTime.Year)
        );
        Assert.Equal(zip, FunnelArchive.Write(back!));
        Assert.Equal(
            ("<h1>b", 0, true),
            (
                back!.Steps[0].Pages[1].Bundle!.Source("index.html"),
                back.Steps[0].Pages[1].Parent,
                back.Steps[0].Pages[1].IsIndexed
            )
        );
        Assert.Equal((2, 1), (back.Steps[0].Yes, back.Steps[0].Shown));
        Assert.Equal("https://till.example/pay?x=1#y", back.Steps[1].Pages[0].Outside!.AbsoluteUri);
    }

    [Fact]
    public void Links_that_are_taken_get_other_names_and_the_pages_follow()
    {
        var plan = new FunnelPlan(
            "x",
            [
                new(
                    StepKind.OptIn,
                    "a",
                    "start",
                    [
                        new(
                            "p",
                            Bundle("<a href='https://go.example/go/end?x=1#y'>on</a><a href=/go/ending>no</a>"),
                            null
                        ),
                    ]
                ),
                new(StepKind.ThankYou, "b", "end", []),
            ]
        );
        var renamed = plan.WithFreeLinks(slug => slug is "end" or "end-2");
        Assert.Equal(["start", "end-3"], renamed.Steps.Select(step => step.Slug));
        Assert.Equal(
            "<a href=\"https://go.example/go/end-3?x=1#y\">on</a><a href=/go/ending>no</a>",
            renamed.Steps[0].Pages[0].Bundle!.Source("index.html")
        );
    }

    private const string OneStep =
        "{\"format\":\"wexil-funnel\",\"version\":1,\"name\":\"x\","
        + "\"steps\":[{\"kind\":\"sales\",\"name\":\"x\",\"link\":\"";

    [Theory]
    [InlineData("{", "cannot be read")]
    [InlineData("{\"format\":\"other\",\"version\":1,\"name\":\"x\",\"steps\":[]}", "does not describe a funnel")]
    [InlineData("{\"format\":\"wexil-funnel\",\"version\":9,\"name\":\"x\",\"steps\":[]}", "newer Wexil")]
    [InlineData(OneStep + "UP\",\"pages\":[]}]}", "cannot be used")]
    [InlineData(
        OneStep + "x\",\"pages\":[{\"name\":\"p\",\"folder\":\"a/\",\"entry\":\"index.html\"}]}]}",
        "is not in the .zip"
    )]
    [InlineData(OneStep + "x\",\"pages\":[{\"name\":\"p\",\"outside\":\"javascript:x\"}]}]}", "is not a page address")]
    [InlineData(OneStep + "x\",\"pages\":[{\"name\":\"p\"}]}]}", "neither files nor")]
    public void A_manifest_that_cannot_be_used_says_why(string json, string why) =>
        Assert.Contains(
            why,
            FunnelArchive
                .Read(
                    new MemoryStream(PageArchive.Write([new(FunnelArchive.Manifest, Encoding.UTF8.GetBytes(json))])),
                    new()
                )
                .Problem
        );

    [Fact]
    public void A_manifest_is_read_up_to_a_size_that_no_funnel_has()
    {
        string? Problem(int length) =>
            FunnelArchive
                .Read(
                    new MemoryStream(
                        PageArchive.Write([new(FunnelArchive.Manifest, Encoding.UTF8.GetBytes("{}".PadRight(length)))])
                    ),
                    new()
                )
                .Problem;
        Assert.Contains("does not describe a funnel", Problem(1 << 20), StringComparison.Ordinal);
        Assert.Contains("larger than 1 MB", Problem((1 << 20) + 1), StringComparison.Ordinal);
    }

    private static PageBundle Bundle(string html, params (string Path, string Text)[] files) =>
        new(
            [
                new("index.html", Encoding.UTF8.GetBytes(html)),
                .. files.Select(file => new PageFile(file.Path, Encoding.UTF8.GetBytes(file.Text))),
            ],
            "index.html"
        );
}
