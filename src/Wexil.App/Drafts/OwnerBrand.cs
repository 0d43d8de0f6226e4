using Wexil.Pages.Starters;
using Wexil.Store;

namespace Wexil.App.Drafts;

/// <summary>The owner's brand kit: what starter pages and blocks look like.</summary>
public static class OwnerBrand
{
    /// <summary>As it is kept; what was never chosen is the default.</summary>
    public static Brand Read(SettingStore settings) =>
        new(
            settings.BrandAccent ?? Brand.Default.Accent,
            settings.BrandIsSerif ?? Brand.Default.IsSerif,
            settings.BrandPaper ?? Brand.DefaultPaper,
            settings.BrandLogo is { } logo ? new(logo.Extension, logo.Content) : null
        );
}
