using System.Text.RegularExpressions;

namespace Wexil.Pages.Starters;

/// <summary>The owner's colors, typeface and logo, kept once and used by starter pages and blocks.</summary>
/// <param name="Accent">The color of buttons, such as <c>#1d5a3c</c>.</param>
/// <param name="IsSerif">Text is set in a typeface with serifs.</param>
/// <param name="Paper">The color behind the text; light, since the text is dark.</param>
/// <param name="Logo">Null for none.</param>
public sealed partial record Brand(
    string Accent,
    bool IsSerif,
    string Paper = Brand.DefaultPaper,
    BrandPicture? Logo = null
)
{
    /// <summary>The color behind the text where the owner has chosen nothing.</summary>
    public const string DefaultPaper = "#fbfaf5";

    // Dark text needs 4.5 : 1 (WCAG 2.2, 1.4.3); the softest text of starters has it on papers as light as this.
    private const double MinPaper = 0.7;

    /// <summary>Where the owner has chosen nothing.</summary>
    public static Brand Default { get; } = new("#1d5a3c", true);

    /// <summary>The color of words on the accent: the one of white and near black that contrasts more.</summary>
    public string OnAccent => Luminance(Accent) > 0.179 ? "#14201b" : "#ffffff";

    /// <summary>Can the text of starters be read on the color?</summary>
    public static bool IsLight(string color) => Luminance(color) >= MinPaper;

    /// <summary>Relative luminance by WCAG, 0 to 1; at 0.179 black and white contrast alike.</summary>
    private static double Luminance(string color)
    {
        double Linear(int at)
        {
            var share = Convert.ToInt32(color.Substring(at, 2), 16) / 255.0;
            return share <= 0.04045 ? share / 12.92 : Math.Pow((share + 0.055) / 1.055, 2.4);
        }
        return 0.2126 * Linear(1) + 0.7152 * Linear(3) + 0.0722 * Linear(5);
    }

    internal string Fonts =>
        IsSerif ? "Georgia, \"Times New Roman\", serif" : "system-ui, \"Segoe UI\", Roboto, Arial, sans-serif";

    /// <summary>Is it a color that can be put into a page?</summary>
    public static bool IsColor(string? text) => text is not null && Color().IsMatch(text);

    [GeneratedRegex("^#[0-9a-fA-F]{6}$")]
    private static partial Regex Color();
}

/// <summary>A picture of the owner's: a logo, or one of an offer.</summary>
/// <param name="Extension">With its point, such as ".png".</param>
public sealed record BrandPicture(string Extension, byte[] Content)
{
    /// <summary>Where it is in the folder of a page.</summary>
    internal string Path(string name) => $"files/{name}{Extension}";

    /// <summary>The picture as an address, for a place that can have no file of its own.</summary>
    internal string DataAddress()
    {
        var type = Extension switch
        {
            ".svg" => "svg+xml",
            ".jpg" => "jpeg",
            _ => Extension[1..],
        };
        return $"data:image/{type};base64,{Convert.ToBase64String(Content)}";
    }
}
