using Microsoft.Extensions.DependencyInjection;
using OpenQA.Selenium;
using Wexil.Store;

namespace Wexil.Browser.Tests;

/// <summary>
/// Many texts in a row, each by clicking straight from the one before, with undo in between: not a letter is lost.
/// </summary>
internal static class TextsInARow
{
    /// <param name="texts">How many texts are written.</param>
    /// <param name="moreParagraphs">How many others the page has.</param>
    /// <param name="latency">How long each answer of the server takes on the way, in milliseconds.</param>
    public static async Task AreAllKeptAsync(int texts, int millisecondsALetter, int moreParagraphs, int latency)
    {
        await using var site = await Site.StartAsync();
        string[] words = [.. Enumerable.Range(0, texts).Select(i => $"Text {i} as it was, with <b>some</b> emphasis")];
        var more = string.Concat(
            Enumerable
                .Range(0, moreParagraphs)
                .Select(i =>
                    $"<p>{string.Concat(Enumerable.Repeat($"Paragraph {i} says <i>something</i>. ", 10))}</p>\n"
                )
        );
        string Page() =>
            "<!doctype html><html><head><title>Long</title></head><body><main>\n"
            + string.Concat(words.Select((text, i) => $"<p id=t{i}>{text}</p>\n"))
            + $"</main>{more}</body></html>";
        var (page, editor) = await EditorTests.PageAsync(site, Page());
        string Source() =>
            site
                .Host.Services.GetRequiredService<DraftStore>()
                .For(site.Host.Services.GetRequiredService<PageStore>().Find(page)!)
                .Source;
        using var owner = new Browser();
        site.SignIn(owner);
        owner.Open(site.Studio, editor);
        owner.WaitFor(() => owner.All(".parts button").Count >= texts ? "" : null);
        owner.Slow(latency);
        for (var i = 0; i < texts; i++)
        {
            owner.ClickIn("[data-page]", $"#t{i}", 0.3);
            owner.Control("a");
            owner.Type($"New {i}!", TimeSpan.FromMilliseconds(millisecondsALetter));
            if (i % 10 == 9)
                owner.Find("[data-undo]").Click();
            else
                words[i] = $"New {i}!";
        }
        // What was typed faster than it can be sent waits its turn.
        owner.WaitFor(() => owner.Find("[data-saved]").Text == "Saved" ? "" : null, TimeSpan.FromMinutes(5));
        Assert.Equal(Page(), Source());
        Assert.Empty(owner.Find("[data-problem]").Text);
        // And the page that stands in the frame is the page that loading it anew shows.
        string Shown() =>
            owner.In("[data-page]", frame =>
                (string)
                    ((IJavaScriptExecutor)frame).ExecuteScript(
                        "for (const e of document.querySelectorAll('[data-wx-tab]')) { "
                            + "e.removeAttribute('tabindex'); e.removeAttribute('data-wx-tab') } "
                            + "document.querySelector('[contenteditable]')?.removeAttribute('contenteditable'); return "
                            + "document.querySelector('main').outerHTML"
                    )!
            );
        var stands = Shown();
        owner.Slow(0);
        owner.Open(site.Studio, editor);
        owner.WaitForTextIn("[data-page]", words[^2]);
        Assert.Equal(Shown(), stands);
    }
}
