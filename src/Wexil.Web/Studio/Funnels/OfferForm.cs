using Microsoft.AspNetCore.Mvc.ModelBinding;
using Wexil.Pages.Starters;
using Wexil.Store;

namespace Wexil.Web.Studio.Funnels;

/// <summary>What starter pages are filled in with, as typed.</summary>
public sealed class OfferForm
{
    public string? Promise { get; set; }

    public string? Price { get; set; }

    public string? Accent { get; set; }

    public bool IsSerif { get; set; }

    /// <summary>Empty, in the look that was chosen last.</summary>
    public static OfferForm From(SettingStore settings) =>
        new()
        {
            Accent = settings.BrandAccent ?? Brand.Default.Accent,
            IsSerif = settings.BrandIsSerif ?? Brand.Default.IsSerif,
        };

    /// <summary>Reads it, or says by the fields what is wrong.</summary>
    public Offer Read(string name, ModelStateDictionary state, string prefix, SettingStore settings)
    {
        foreach (var (field, text) in new[] { (nameof(Promise), Promise), (nameof(Price), Price) })
            if (text?.Length > Offer.MaxLength)
                state.AddModelError($"{prefix}.{field}", $"At most {Offer.MaxLength} characters.");
        // Where nothing was asked, the look of last time stays.
        var look = Accent is null ? From(settings) : this;
        if (!Brand.IsColor(look.Accent))
        {
            state.AddModelError($"{prefix}.{nameof(Accent)}", "Enter a color such as #1d5a3c.");
            return new(name);
        }
        return new(name, Promise?.Trim() ?? "", Price?.Trim() ?? "") { Brand = new(look.Accent!, look.IsSerif) };
    }

    /// <summary>Keeps the look of an offer that was used, for the next starter page.</summary>
    public static Task KeepLookAsync(Offer offer, SettingStore settings) =>
        settings.SetBrandAsync(offer.Brand.Accent, offer.Brand.IsSerif);
}
