using Microsoft.AspNetCore.Mvc.ModelBinding;
using Wexil.App.Drafts;
using Wexil.App.Wording;
using Wexil.Pages.Starters;
using Wexil.Store;
using Wexil.Web.Studio.Build;

namespace Wexil.Web.Studio.Funnels;

/// <summary>What starter pages are filled in with, as typed.</summary>
public sealed class OfferForm
{
    public string? Promise { get; set; }

    public string? Price { get; set; }

    public string? Accent { get; set; }

    public bool IsSerif { get; set; }

    /// <summary>A picture of the offer, for the pages that have a place for one.</summary>
    public IFormFile? Picture { get; set; }

    /// <summary>Empty, in the look that was chosen last.</summary>
    public static OfferForm From(SettingStore settings) =>
        new() { Accent = OwnerBrand.Read(settings).Accent, IsSerif = OwnerBrand.Read(settings).IsSerif };

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
        return new(name, Promise?.Trim() ?? "", Price?.Trim() ?? "")
        {
            Brand = OwnerBrand.Read(settings) with { Accent = look.Accent!, IsSerif = look.IsSerif },
            Picture = ReadPicture(Picture, Offer.MaxPictureBytes, state, $"{prefix}.{nameof(Picture)}"),
        };
    }

    /// <summary>A picture that was chosen; null for none, or for one that is refused at its field.</summary>
    public static BrandPicture? ReadPicture(IFormFile? file, int maxBytes, ModelStateDictionary state, string field)
    {
        if (file is not { Length: > 0 })
            return null;
        if (file.Length > maxBytes)
        {
            state.AddModelError(field, $"The picture can have up to {Format.Count(maxBytes >> 10)} KB.");
            return null;
        }
        using var stream = file.OpenReadStream();
        var content = new byte[file.Length];
        stream.ReadExactly(content);
        var extension = Path.GetExtension(file.FileName).ToLowerInvariant();
        if (PictureFile.IsPicture(extension, content))
            return new(extension == ".jpeg" ? ".jpg" : extension, content);
        state.AddModelError(field, "Choose a picture: JPG, PNG, GIF, WebP, AVIF or SVG.");
        return null;
    }

    /// <summary>Keeps the look of an offer that was used, for the next starter page.</summary>
    public static Task KeepLookAsync(Offer offer, SettingStore settings) =>
        settings.SetBrandAsync(offer.Brand.Accent, offer.Brand.IsSerif);
}
