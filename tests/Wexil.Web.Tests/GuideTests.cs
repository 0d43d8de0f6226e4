using System.Net;
using Wexil.Web.Studio.Help;

namespace Wexil.Web.Tests;

/// <summary>The guide is in the application, with its pictures, and found by its words.</summary>
public sealed class GuideTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    [Fact]
    public async Task Every_page_is_shown_with_its_picture()
    {
        using var owner = await wexil.OwnerAsync();
        var contents = WexilFixture.Read(await owner.GetStringAsync("/guide"));
        Assert.Equal(11, GuidePages.All.Count);
        foreach (var page in GuidePages.All)
        {
            Assert.Contains($"<a href=\"/guide/{page.Slug}\">{page.Title}</a>", contents, StringComparison.Ordinal);
            var shown = await owner.GetStringAsync($"/guide/{page.Slug}");
            Assert.Contains($"<h1 class=\"headline\">{WebUtility.HtmlEncode(page.Title)}</h1>", shown);
            var picture = shown.Split("<img src=\"")[1].Split('"')[0];
            Assert.Equal("image/png", (await owner.GetAsync(picture)).Content.Headers.ContentType?.MediaType);
        }
        Assert.Equal(HttpStatusCode.NotFound, (await owner.GetAsync("/guide/no-such-page")).StatusCode);
    }

    [Theory]
    [InlineData("EPC", "sources")]
    [InlineData("currencies", "money")]
    public async Task What_is_in_no_funnel_is_looked_for_in_the_guide(string words, string slug)
    {
        using var owner = await wexil.OwnerAsync();
        var found = await owner.GetAsync($"/jump?q={words}");
        Assert.Equal($"/guide/{slug}", found.Headers.Location?.OriginalString);
    }

    [Theory]
    [InlineData("", 0)]
    [InlineData("ep", 0)]
    [InlineData("epc", 1)]
    [InlineData("HEADLINE", 2)]
    public void Pages_are_found_by_three_letters_and_more_whatever_their_capitals(string words, int found) =>
        Assert.Equal(found, GuidePages.With(words).Count());
}
