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

    /// <summary>The largest picture that is taken.</summary>
    public const int MaxPictureBytes = 4 << 20;

    /// <summary>A picture of it; null for a place to put one.</summary>
    public BrandPicture? Picture { get; init; }

    /// <summary>The look of the page.</summary>
    public Brand Brand { get; init; } = Brand.Default;

    private const string PictureLine = "\n    {{picture}}";

    // A landscape in grey, where the picture goes.
    private const string NoPicture =
        "<img src=\"data:image/svg+xml,%3Csvg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 640 360'%3E%3Crect "
        + "width='640' height='360' fill='%23e6e6e0'/%3E%3Cpath d='M0 360 210 150l130 130 80-80 220 160z' "
        + "fill='%23c4c8c0'/%3E%3Ccircle cx='480' cy='110' r='44' fill='%23d5d8d0'/%3E%3C/svg%3E\" "
        + "alt=\"Your picture\" width=\"640\" height=\"360\">";

    /// <summary>A starter page with the offer in its places.</summary>
    internal string FillIn(string html) =>
        Place()
            .Replace(Picture is null ? html.Replace(PictureLine, "", StringComparison.Ordinal) : html, place =>
                place.Groups[1].Value switch
                {
                    "name" => HtmlText.Encode(Name),
                    "promise" => HtmlText.Encode(Promise.Length > 0 ? Promise : $"Get {Name}"),
                    "price" => HtmlText.Encode(Price.Length > 0 ? Price : "Your price"),
                    "picture" => Picture is { } own ? Image(own) : "",
                    "picture-place" => Picture is { } own ? Image(own) : NoPicture,
                    "paper" => Brand.Paper,
                    "accent" => Brand.Accent,
                    "on-accent" => Brand.OnAccent,
                    _ => Brand.Fonts,
                }
            );

    private string Image(BrandPicture picture) =>
        $"<img src=\"{picture.Path("picture")}\" alt=\"{HtmlText.EncodeValue(Name)}\">";

    [GeneratedRegex(@"\{\{(name|promise|price|picture|picture-place|paper|accent|on-accent|font)\}\}")]
    private static partial Regex Place();
}
