using Microsoft.AspNetCore.Mvc;
using Wexil.App.Importing;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;
using Wexil.Pages.Source;
using Wexil.Pages.Starters;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Funnels;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>
/// Brings a page in: from a file, an address, pasted source, a starter of ours; or names one that stays outside.
/// </summary>
[UploadLimit(MegabytesAtOnce)]
public sealed class AddPageModel(
    StepScreens screens,
    PageStore pages,
    Imports imports,
    WaitingArchives archives,
    TypedAddress addresses,
    SettingStore settings
) : StepPageModel(screens)
{
    private const int MegabytesAtOnce = 80;
    private const int MaxNameLength = 120;

    public override string Stage => "build";

    /// <summary>Our own pages, those for this kind of step first.</summary>
    public IEnumerable<Starter> Starters =>
        Wexil.Pages.Starters.Starter.All.OrderBy(starter => starter.Kind == Screen.Step.Kind ? 0 : 1);

    [BindProperty]
    public string? Name { get; set; }

    [BindProperty]
    public string? Html { get; set; }

    [BindProperty]
    public string? Outside { get; set; }

    [BindProperty]
    public string? Address { get; set; }

    [BindProperty]
    public string? Starter { get; set; }

    [BindProperty]
    public IFormFile? Upload { get; set; }

    /// <summary>What a starter page is filled in with.</summary>
    [BindProperty]
    public OfferForm Offer { get; set; } = new();

    public void OnGet() => Offer = OfferForm.From(settings);

    /// <summary>The largest file that is taken, in bytes.</summary>
    public static long LargestUpload => UploadedPage.Limits.TotalBytes;

    [Logged("Uploaded a page")]
    public async Task<IActionResult> OnPostUploadAsync()
    {
        var (bundle, problem) = await UploadedPage.ReadAsync(Upload);
        if (bundle is null)
            return Refuse(nameof(Upload), problem!);
        if (bundle.Pages.Count() == 1)
            return await Add(bundle);
        await using var archive = Upload!.OpenReadStream();
        var waiting = await archives.KeepAsync(Screen.Step.Id, archive, HttpContext.RequestAborted);
        return Redirect(Screen.Address($"build/add/{waiting}"));
    }

    [Logged("Pasted a page")]
    public async Task<IActionResult> OnPostPasteAsync()
    {
        if (string.IsNullOrWhiteSpace(Html))
            return Refuse(nameof(Html), "Paste the page’s HTML.");
        return PageSource.Problem(Html) is { } problem
            ? Refuse(nameof(Html), problem)
            : await Add(PageBundle.OneFile(Html.ReplaceLineEndings("\n")));
    }

    [Logged("Imported a page", IsWork = true)]
    public IActionResult OnPostFetch()
    {
        var (address, problem) = OutsideAddress.Check(Address);
        if (address is null)
            return Refuse(nameof(Address), problem!);
        if (Name?.Length > MaxNameLength)
            return Refuse(nameof(Name), $"At most {MaxNameLength} characters.");
        var name = string.IsNullOrWhiteSpace(Name) ? null : Name.Trim();
        return Redirect(Screen.Address($"build/import/{imports.Start(Screen.Step.Id, name, address).Id}"));
    }

    [Logged("Added a starter page")]
    public async Task<IActionResult> OnPostStarterAsync()
    {
        if (Wexil.Pages.Starters.Starter.Find(Starter) is not { } starter)
            return Refuse(nameof(Starter), "Choose a starter page.");
        var offer = Offer.Read(Screen.Funnel.Name, ModelState, nameof(Offer), settings);
        if (!ModelState.IsValid)
            return Page();
        await OfferForm.KeepLookAsync(offer, settings);
        var page = pages.Find(
            await pages.AddAsync(Screen.Step.Id, starter.Name, starter.BundleFor(offer), "Starter page", isLive: false)
        )!;
        Done = $"{Format.Quoted(page.Name)} is added. Replace the text and pictures with your own.";
        return Redirect(Screen.Address($"build/{page.Slug}"));
    }

    [Logged("Added an outside page")]
    public async Task<IActionResult> OnPostOutsideAsync()
    {
        var (address, problem) = addresses.Read(Outside, Screen.Step.Slug);
        if (address is null)
            return Refuse(nameof(Outside), problem!);
        var name = NameOr(address.AbsolutePath.Trim('/') is { Length: > 0 } path ? path : address.Host);
        if (name is null)
            return Page();
        var page = pages.Find(await pages.AddAsync(Screen.Step.Id, name, address, isLive: false))!;
        Done =
            $"{Format.Quoted(page.Name)} is added. To count visits there, paste the tracking script shown "
            + $"below into the page.{addresses.TwinOf(page.Id, address)}";
        return Redirect(Screen.Address($"build/{page.Slug}"));
    }

    private async Task<IActionResult> Add(PageBundle bundle)
    {
        if (NameOr(HostedHtml.Title(bundle.Source(bundle.Entry)) ?? Screen.Step.Name) is not { } name)
            return Page();
        await pages.AddAsync(Screen.Step.Id, name, bundle, isLive: false);
        Done =
            bundle.Files.Count == 1
                ? $"{Format.Quoted(name)} is added."
                : $"{Format.Quoted(name)} is added, with {bundle.Files.Count - 1} files.";
        return Redirect(Screen.Address("build"));
    }

    private string? NameOr(string suggestion)
    {
        var name = string.IsNullOrWhiteSpace(Name) ? suggestion : Name.Trim();
        if (name.Length <= MaxNameLength)
            return name;
        if (string.IsNullOrWhiteSpace(Name))
            return name[..MaxNameLength];
        ModelState.AddModelError(nameof(Name), $"At most {MaxNameLength} characters.");
        return null;
    }

    private IActionResult Refuse(string field, string problem)
    {
        ModelState.AddModelError(field, problem);
        if (Offer.Accent is null)
            Offer = OfferForm.From(settings);
        return Page();
    }
}
