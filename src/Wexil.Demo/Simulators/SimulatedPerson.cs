using System.Net;
using AngleSharp.Html.Dom;
using AngleSharp.Html.Parser;

namespace Wexil.Demo.Simulators;

/// <summary>
/// Somebody made up who follows a link as a browser would, and may fill in the form that stands there.
/// </summary>
internal sealed class SimulatedPerson : IDisposable
{
    private static readonly TimeSpan Reading = TimeSpan.FromSeconds(2);
    private static readonly string[] Agents =
    [
        "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Safari/537.36",
        "Mozilla/5.0 (iPhone; CPU iPhone OS 18_0 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) "
            + "Version/18.0 Mobile/15E148 Safari/604.1",
        "Mozilla/5.0 (Linux; Android 15) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/140.0.0.0 Mobile Safari/537.36",
    ];

    private readonly HttpClient _client = new(
        new SocketsHttpHandler { CookieContainer = new CookieContainer(), MaxAutomaticRedirections = 5 }
    )
    {
        Timeout = TimeSpan.FromSeconds(20),
    };
    private readonly string _name;

    /// <param name="number">Tells the person from the others, and says which browser they use.</param>
    public SimulatedPerson(int number)
    {
        _name = $"reader.{number:x}";
        _client.DefaultRequestHeaders.TryAddWithoutValidation("User-Agent", Agents[number % Agents.Length]);
    }

    public async Task FollowAsync(Uri link, bool optsIn, CancellationToken stop)
    {
        try
        {
            using var answer = await _client.GetAsync(link, stop);
            if (!optsIn || !answer.IsSuccessStatusCode)
                return;
            using var page = await new HtmlParser().ParseDocumentAsync(
                await answer.Content.ReadAsStringAsync(stop),
                stop
            );
            if (page.QuerySelector("form input[type=email]")?.Closest("form") is not IHtmlFormElement form)
                return;
            // Nobody reads a page and types an address in no time.
            await Task.Delay(Reading, stop);
            var fields = form.QuerySelectorAll("input[name]")
                .OfType<IHtmlInputElement>()
                .Where(input => input.Type is not ("submit" or "button"))
                .Select(input =>
                    KeyValuePair.Create(
                        input.Name!,
                        input.Type == "email" ? $"{_name}@balcony.example" : input.GetAttribute("value") ?? ""
                    )
                );
            using var body = new FormUrlEncodedContent(fields);
            using var sent = await _client.PostAsync(
                new Uri(answer.RequestMessage!.RequestUri!, form.GetAttribute("action") ?? ""),
                body,
                stop
            );
        }
        catch (Exception error) when (error is HttpRequestException or OperationCanceledException)
        {
            // Gave up waiting, as people do.
        }
    }

    public void Dispose() => _client.Dispose();
}
