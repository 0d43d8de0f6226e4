using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;

namespace Wexil.Pages.Starters;

/// <summary>A page of our own to start from.</summary>
/// <param name="Kind">The kind of step that it is made for.</param>
/// <param name="What">What it is, in a line.</param>
public sealed record Starter(string Key, string Name, StepKind Kind, string What)
{
    /// <summary>All that are offered, in order.</summary>
    public static IReadOnlyList<Starter> All { get; } =
    [
        new("opt-in", "Short opt-in", StepKind.OptIn, "Headline, e-mail field, button."),
        new("opt-in-video", "Opt-in with a video", StepKind.OptIn, "Headline, video, e-mail field."),
        new("opt-in-dialog", "Opt-in form in a pop-up", StepKind.OptIn, "A click on the button opens the form."),
        new(
            "sales-letter",
            "Long sales letter",
            StepKind.Sales,
            "Benefits, testimonials, price, guarantee and questions."
        ),
        new("sales-short", "Short sales page", StepKind.Sales, "Picture, three benefits and an order box."),
        new("sales-video", "Sales page with a video", StepKind.Sales, "Video with an order box below."),
        new("till", "Test checkout", StepKind.Checkout, "Takes no money. Replace it with your real checkout."),
        new("upsell", "Upsell", StepKind.Upsell, "An extra offer with yes and no."),
        new("downsell", "Downsell", StepKind.Downsell, "A smaller offer for visitors who said no."),
        new("thank-you", "Thank-you: confirm your e-mail address", StepKind.ThankYou, "Sends people to their inbox."),
        new("thank-you-download", "Thank-you: download", StepKind.ThankYou, "Gives the download right away."),
        new("thank-you-next", "Thank-you: what happens next", StepKind.ThankYou, "Next steps, and one question."),
    ];

    /// <summary>Null where there is none of the key.</summary>
    public static Starter? Find(string? key) => All.FirstOrDefault(starter => starter.Key == key);

    /// <summary>The page for an offer, with its pictures.</summary>
    public PageBundle BundleFor(Offer offer)
    {
        var page = PageBundle.OneFile(HtmlFor(offer));
        var pictures = new[] { ("logo", offer.Brand.Logo), ("picture", offer.Picture) };
        return page with
        {
            Files =
            [
                .. page.Files,
                .. pictures
                    .Where(picture => picture.Item2 is not null)
                    .Select(picture => new PageFile(picture.Item2!.Path(picture.Item1), picture.Item2.Content)),
            ],
        };
    }

    /// <summary>The page’s source for an offer.</summary>
    public string HtmlFor(Offer offer)
    {
        var page = InFrame(Read($"{Key}.html").TrimEnd());
        return offer.FillIn(offer.Brand.Logo is { } logo ? WithLogo(page, logo) : page);
    }

    /// <summary>What a starter has of its own, a title and a body, in the head and the styles that all have.</summary>
    private static string InFrame(string own)
    {
        var body = own.IndexOf("<body>", StringComparison.Ordinal);
        return Read("frame.html")
            .Replace("/* common */\n", Read("common.css"), StringComparison.Ordinal)
            .Replace("{{head}}", own[..body].TrimEnd(), StringComparison.Ordinal)
            .Replace("{{page}}", own[body..], StringComparison.Ordinal);
    }

    private static string WithLogo(string html, BrandPicture logo)
    {
        var inside = html.IndexOf('>', html.IndexOf("<main", StringComparison.Ordinal)) + 1;
        var image = $"<img class=\"logo\" src=\"{logo.Path("logo")}\" alt=\"Logo\">";
        return html.Insert(inside, $"\n    {image}");
    }

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
            "Opt-in → sales → checkout → thank-you",
            "People who opt in see the offer.",
            ("Opt-in", "opt-in"),
            ("Sales", "sales-letter"),
            ("Checkout", "till"),
            ("Thank you", "thank-you-download")
        ),
        Funnel(
            "direct",
            "Sales → checkout → thank-you",
            "Visitors come straight to the offer.",
            ("Sales", "sales-letter"),
            ("Checkout", "till"),
            ("Thank you", "thank-you-next")
        ),
        Funnel(
            "upsell",
            "Opt-in → sales → checkout → upsell → downsell → thank-you",
            "The same, plus an upsell for buyers and a smaller offer if they say no.",
            ("Opt-in", "opt-in"),
            ("Sales", "sales-letter"),
            ("Checkout", "till"),
            ("Upsell", "upsell"),
            ("Downsell", "downsell"),
            ("Thank you", "thank-you-download")
        ),
        Funnel(
            "video",
            "Video opt-in → video sales → checkout → thank-you",
            "Both pages open with a video.",
            ("Opt-in", "opt-in-video"),
            ("Sales", "sales-video"),
            ("Checkout", "till"),
            ("Thank you", "thank-you-next")
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
