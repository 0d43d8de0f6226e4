using Wexil.Pages.Editing;

namespace Wexil.Pages.Tests;

/// <summary>The headline of a page is found and changed, and nothing else of it.</summary>
public sealed class HeadlineTests
{
    [Theory]
    [InlineData("<h2>Kit</h2><h1>A <b>harvest</b> &amp; more</h1><p>x", "A harvest & more")]
    [InlineData("<h1> </h1><h2>Second</h2>", "Second")]
    [InlineData("<p>x</p><h3>Third</h3>", "Third")]
    [InlineData("<p>No heading</p>", null)]
    public void The_first_heading_of_the_highest_rank_with_words_is_the_headline(string source, string? words) =>
        Assert.Equal(words, Headline.Of(source)?.Words);

    [Theory]
    [InlineData(
        "<div><h1 class=big>Old</h1><p>Stays</p>",
        "<div><h1 class=big>Herbs &amp; &lt;salad></h1><p>Stays</p>"
    )]
    [InlineData("<h2>Old</h2><!-- stays -->", "<h2>Herbs &amp; &lt;salad></h2><!-- stays -->")]
    public void Another_headline_is_written_into_the_page_as_text(string source, string changed) =>
        Assert.Equal(
            changed.Replace("salad>", "salad&gt;", StringComparison.Ordinal),
            Headline
                .Of(source)!
                .Write(source, "Herbs & <salad>")!
                .Replace("salad>", "salad&gt;", StringComparison.Ordinal)
        );
}
