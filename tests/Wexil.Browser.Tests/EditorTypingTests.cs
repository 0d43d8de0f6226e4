namespace Wexil.Browser.Tests;

/// <summary>Somebody types into text after text, fast and slowly.</summary>
public sealed class EditorTypingTests
{
    [Theory]
    [InlineData(40, 30, 0)]
    [InlineData(20, 80, 800)]
    [InlineData(12, 200, 0)]
    public Task Every_letter_is_kept_however_fast_it_is_typed_and_however_slow_the_server_is(
        int texts,
        int millisecondsALetter,
        int latency
    ) => TextsInARow.AreAllKeptAsync(texts, millisecondsALetter, moreParagraphs: 0, latency);
}
