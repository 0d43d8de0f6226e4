using System.Text;
using Wexil.Pages.Editing;
using Wexil.Pages.Source;
using Wexil.Pages.Starters;

namespace Wexil.Pages.Tests;

/// <summary>What the owner's brand kit and an offer's picture do to starter pages and blocks.</summary>
public sealed class BrandTests
{
    private static readonly BrandPicture Logo = new(".svg", "<svg/>"u8.ToArray()),
        Photo = new(".jpg", [0xFF, 0xD8, 0xFF]);

    private static readonly Offer Kit = new("Kit & <co>", "Salad in 21 days")
    {
        Brand = new("#ffd400", IsSerif: false, "#f0f8ff", Logo),
        Picture = Photo,
    };

    public static TheoryData<string> Keys => [.. Starter.All.Select(starter => starter.Key)];

    [Theory]
    [MemberData(nameof(Keys))]
    public void A_starter_takes_on_the_kit_and_brings_the_files_that_it_names(string key)
    {
        var bundle = Starter.Find(key)!.BundleFor(Kit);
        var html = Encoding.UTF8.GetString(bundle.Files[0].Content);
        Assert.DoesNotContain("{{", html, StringComparison.Ordinal);
        Assert.Contains("--paper: #f0f8ff", html, StringComparison.Ordinal);
        Assert.Contains("--accent-ink: #14201b", html, StringComparison.Ordinal);
        var images = SourceMap.Parse(html).Document.QuerySelectorAll("img").Select(image => image.GetAttribute("src"));
        Assert.Equal("files/logo.svg", images.First());
        Assert.Equal(["index.html", "files/logo.svg", "files/picture.jpg"], bundle.Files.Select(file => file.Path));
        Assert.Equal(Logo.Content, bundle.Files[1].Content);
    }

    [Theory]
    [InlineData("opt-in")]
    [InlineData("sales-letter")]
    [InlineData("sales-short")]
    [InlineData("upsell")]
    public void The_picture_of_the_offer_has_a_place_where_it_sells(string key)
    {
        var page = SourceMap.Parse(Starter.Find(key)!.HtmlFor(Kit)).Document;
        Assert.Equal("Kit & <co>", page.QuerySelector("img[src='files/picture.jpg']")!.GetAttribute("alt"));
        var without = Starter.Find(key)!.BundleFor(new("Kit"));
        Assert.Single(without.Files);
        Assert.DoesNotContain("files/", Encoding.UTF8.GetString(without.Files[0].Content), StringComparison.Ordinal);
    }

    [Fact]
    public void A_block_has_the_colors_and_the_logo_where_the_page_gives_none()
    {
        const string page = "<main><h1>Kit</h1></main>";
        var heading = SourceMap.Parse(page).Elements.First(element => element.Name == "h1").Id;
        string With(string block) =>
            PageEditor.Apply(page, new PageEdit.Insert(heading, block) { Brand = Kit.Brand }).Source!;
        Assert.Contains("background-color: #ffd400; color: #14201b", With("order"), StringComparison.Ordinal);
        Assert.Contains("src=\"data:image/svg+xml;base64,PHN2Zy8+\"", With("logo"), StringComparison.Ordinal);
        Assert.Contains(
            "src=\"data:image/svg+xml,",
            PageEditor.Apply(page, new PageEdit.Insert(heading, "logo")).Source
        );
    }

    [Theory]
    [InlineData("#ffffff", true)]
    [InlineData("#dadada", true)]
    [InlineData("#d9d9d9", false)]
    [InlineData("#1d5a3c", false)]
    public void Text_can_be_read_on_light_paper_only(string color, bool isLight) =>
        Assert.Equal(isLight, Brand.IsLight(color));
}
