using Wexil.Core.Common;
using Wexil.Core.Funnels;

namespace Wexil.Pages.Starters;

/// <summary>A page of our own to start from.</summary>
/// <param name="Kind">The kind of step that it is made for.</param>
/// <param name="What">What it is, in a line.</param>
public sealed record Starter(string Key, string Name, StepKind Kind, string What)
{
    /// <summary>All that are offered, in order.</summary>
    public static IReadOnlyList<Starter> All { get; } =
    [
        new("opt-in", "Short opt-in", StepKind.OptIn, "A promise, a field, a button."),
        new(
            "opt-in-dialog",
            "Opt-in in a dialog",
            StepKind.OptIn,
            "The button opens the field: two steps, the first one easy."
        ),
        new(
            "sales-letter",
            "Long sales letter",
            StepKind.Sales,
            "A letter with benefits, voices, price, guarantee and answers."
        ),
        new("sales-video", "Sales page with a video", StepKind.Sales, "The video above, the order box below it."),
        new("till", "Till to try with", StepKind.Checkout, "Takes no money; stands where your till will be."),
        new("upsell", "Upsell", StepKind.Upsell, "One more thing, with a yes and a no."),
        new("downsell", "Downsell", StepKind.Downsell, "A smaller thing for who said no."),
        new("thank-you", "Thank-you: confirm your e-mail", StepKind.ThankYou, "Sends people to their inbox."),
        new("thank-you-download", "Thank-you: download", StepKind.ThankYou, "Hands it over at once."),
    ];

    /// <summary>Null where there is none of the key.</summary>
    public static Starter? Find(string? key) => All.FirstOrDefault(starter => starter.Key == key);

    /// <summary>The page’s source.</summary>
    public string Html => Read($"{Key}.html").Replace("/* common */\n", Read("common.css"), StringComparison.Ordinal);

    private static string Read(string name) => EmbeddedText.Read(typeof(Starter).Assembly, $"Starters.Pages.{name}");
}

/// <summary>A funnel of our own to start from: its steps, each with a starter page.</summary>
public sealed record StarterFunnel(
    string Key,
    string Name,
    string What,
    IReadOnlyList<(string Name, Starter Page)> Steps
)
{
    /// <summary>All that are offered, in order.</summary>
    public static IReadOnlyList<StarterFunnel> All { get; } =
    [
        Funnel(
            "opt-in",
            "Opt-in → thank-you",
            "Two steps that collect e-mail addresses.",
            ("Opt-in", "opt-in"),
            ("Thank you", "thank-you")
        ),
        Funnel(
            "sales",
            "Opt-in → sales → till → thank-you",
            "Who opts in is shown the offer.",
            ("Opt-in", "opt-in"),
            ("Sales", "sales-letter"),
            ("Till", "till"),
            ("Thank you", "thank-you-download")
        ),
        Funnel(
            "upsell",
            "Opt-in → sales → till → upsell → downsell → thank-you",
            "The same, with one more thing for buyers and a smaller one for who says no.",
            ("Opt-in", "opt-in"),
            ("Sales", "sales-letter"),
            ("Till", "till"),
            ("Upsell", "upsell"),
            ("Downsell", "downsell"),
            ("Thank you", "thank-you-download")
        ),
    ];

    /// <summary>Null where there is none of the key.</summary>
    public static StarterFunnel? Find(string? key) => All.FirstOrDefault(funnel => funnel.Key == key);

    private static StarterFunnel Funnel(
        string key,
        string name,
        string what,
        params (string Name, string Page)[] steps
    ) => new(key, name, what, [.. steps.Select(step => (step.Name, Starter.Find(step.Page)!))]);
}
