using System.Text.RegularExpressions;
using Wexil.Pages.Source;

namespace Wexil.Pages.Starters;

/// <summary>What a starter page sells or gives away, in the owner's words.</summary>
/// <param name="Name">What the product or gift is called.</param>
/// <param name="Promise">What it does for the reader; the name speaks for itself where it is empty.</param>
/// <param name="Price">As it is shown, with its currency; empty for a place to put it.</param>
public sealed partial record Offer(string Name, string Promise = "", string Price = "")
{
    /// <summary>The longest name, promise or price that is taken.</summary>
    public const int MaxLength = 200;

    /// <summary>The look of the page.</summary>
    public Brand Brand { get; init; } = Brand.Default;

    /// <summary>A starter page with the offer in its places.</summary>
    internal string FillIn(string html) =>
        Place()
            .Replace(html, place => place.Groups[1].Value switch
                {
                    "name" => HtmlText.Encode(Name),
                    "promise" => HtmlText.Encode(Promise.Length > 0 ? Promise : $"Get {Name}"),
                    "price" => HtmlText.Encode(Price.Length > 0 ? Price : "Your price"),
                    "accent" => Brand.Accent,
                    "on-accent" => Brand.OnAccent,
                    _ => Brand.Fonts,
                });

    [GeneratedRegex(@"\{\{(name|promise|price|accent|on-accent|font)\}\}")]
    private static partial Regex Place();
}

/// <summary>The owner's color and typeface, kept once and used by every starter page.</summary>
/// <param name="Accent">The color of buttons, such as <c>#1d5a3c</c>.</param>
/// <param name="IsSerif">Text is set in a typeface with serifs.</param>
public sealed partial record Brand(string Accent, bool IsSerif)
{
    /// <summary>Where the owner has chosen nothing.</summary>
    public static Brand Default { get; } = new("#1d5a3c", true);

    /// <summary>The color of words on the accent: the one of white and near black that contrasts more.</summary>
    public string OnAccent
    {
        get
        {
            double Linear(int at)
            {
                var share = Convert.ToInt32(Accent.Substring(at, 2), 16) / 255.0;
                return share <= 0.04045 ? share / 12.92 : Math.Pow((share + 0.055) / 1.055, 2.4);
            }
            // Relative luminance by WCAG; at 0.179 black and white contrast alike.
            var luminance = 0.2126 * Linear(1) + 0.7152 * Linear(3) + 0.0722 * Linear(5);
            return luminance > 0.179 ? "#14201b" : "#ffffff";
        }
    }

    internal string Fonts =>
        IsSerif ? "Georgia, \"Times New Roman\", serif" : "system-ui, \"Segoe UI\", Roboto, Arial, sans-serif";

    /// <summary>Is it a color that can be put into a page?</summary>
    public static bool IsColor(string? text) => text is not null && Color().IsMatch(text);

    [GeneratedRegex("^#[0-9a-fA-F]{6}$")]
    private static partial Regex Color();
}
