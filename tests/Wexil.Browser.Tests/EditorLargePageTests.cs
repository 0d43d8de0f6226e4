namespace Wexil.Browser.Tests;

/// <summary>The same on a page of two megabytes, which no answer may make slow enough to lose a letter.</summary>
public sealed class EditorLargePageTests
{
    [Fact]
    public Task Every_letter_is_kept_on_a_very_large_page_and_with_a_slow_server() =>
        TextsInARow.AreAllKeptAsync(texts: 12, millisecondsALetter: 30, moreParagraphs: 5_000, latency: 800);
}
