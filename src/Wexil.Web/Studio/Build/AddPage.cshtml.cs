using Microsoft.AspNetCore.Mvc;
using Wexil.App.Importing;
using Wexil.App.Visits;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;
using Wexil.Pages.Source;
using Wexil.Pages.Starters;
using Wexil.Store;
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
    Routes routes
) : StepPageModel(screens)
{
    private const int MegabytesAtOnce = 80;
    private const int MaxNameLength = 120;
    private static readonly ArchiveLimits Limits = new();

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

    public void OnGet()
    {
        // Nothing to read: the form is empty.
    }

    /// <summary>The largest file that is taken, in bytes.</summary>
    public static long LargestUpload => Limits.TotalBytes;

    public async Task<IActionResult> OnPostUploadAsync()
    {
        if (Upload is not { Length: > 0 } upload)
            return Refuse(nameof(Upload), "Choose an .html or .zip file.");
        if (upload.Length > Limits.TotalBytes)
            return Refuse(nameof(Upload), $"The file is larger than {Limits.TotalBytes >> 20} MB.");
        await using var stream = upload.OpenReadStream();
        if (Path.GetExtension(upload.FileName).Equals(".zip", StringComparison.OrdinalIgnoreCase))
        {
            var (bundle, problem) = PageArchive.Read(stream, Limits);
            if (bundle is null)
                return Refuse(nameof(Upload), problem!);
            foreach (var path in bundle.Pages)
                if (PageSource.Problem(bundle.Source(path)) is { } wrong)
                    return Refuse(nameof(Upload), $"{Format.Quoted(path)}: {wrong}");
            if (bundle.Pages.Count() == 1)
                return await Add(bundle);
            // Reading the archive closed its stream.
            await using var again = upload.OpenReadStream();
            return Redirect(
                Screen.Address(
                    $"build/add/{await archives.KeepAsync(Screen.Step.Id, again, HttpContext.RequestAborted)}"
                )
            );
        }
        if (!ContentTypes.IsHtml(upload.FileName))
            return Refuse(nameof(Upload), "This is neither an .html nor a .zip file.");
        // A character has up to four bytes.
        if (upload.Length > 4L * PageSource.MaxLength)
            return Refuse(nameof(Upload), $"A page can have up to {PageSource.MaxLength >> 20} MB of HTML.");
        using var memory = new MemoryStream();
        await stream.CopyToAsync(memory);
        var html = PageText.Decode(memory.ToArray());
        return PageSource.Problem(html) is { } unfit
            ? Refuse(nameof(Upload), unfit)
            : await Add(PageBundle.OneFile(html));
    }

    public async Task<IActionResult> OnPostPasteAsync()
    {
        if (string.IsNullOrWhiteSpace(Html))
            return Refuse(nameof(Html), "Paste the page’s HTML.");
        return PageSource.Problem(Html) is { } problem
            ? Refuse(nameof(Html), problem)
            : await Add(PageBundle.OneFile(Html.ReplaceLineEndings("\n")));
    }

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

    public async Task<IActionResult> OnPostStarterAsync()
    {
        if (Wexil.Pages.Starters.Starter.Find(Starter) is not { } starter)
            return Refuse(nameof(Starter), "Choose a page to start from.");
        var page = pages.Find(
            await pages.AddAsync(
                Screen.Step.Id,
                starter.Name,
                PageBundle.OneFile(starter.Html),
                "Begun from a page of Wexil’s"
            )
        )!;
        routes.Reload(Screen.Funnel.Id);
        Done = $"{Format.Quoted(page.Name)} is on the step. Put your own words and pictures in.";
        return Redirect(Screen.Address($"build/{page.Slug}"));
    }

    public async Task<IActionResult> OnPostOutsideAsync()
    {
        var (address, problem) = addresses.Read(Outside, Screen.Step.Slug);
        if (address is null)
            return Refuse(nameof(Outside), problem!);
        var name = NameOr(address.AbsolutePath.Trim('/') is { Length: > 0 } path ? path : address.Host);
        if (name is null)
            return Page();
        var page = pages.Find(await pages.AddAsync(Screen.Step.Id, name, address))!;
        routes.Reload(Screen.Funnel.Id);
        Done =
            $"{Format.Quoted(page.Name)} is added. To count visits there, paste the tracking script shown "
            + $"below into the page.{addresses.TwinOf(page.Id, address)}";
        return Redirect(Screen.Address($"build/{page.Slug}"));
    }

    private async Task<IActionResult> Add(PageBundle bundle)
    {
        if (NameOr(HostedHtml.Title(bundle.Source(bundle.Entry)) ?? Screen.Step.Name) is not { } name)
            return Page();
        await pages.AddAsync(Screen.Step.Id, name, bundle);
        routes.Reload(Screen.Funnel.Id);
        Done =
            bundle.Files.Count == 1
                ? $"{Format.Quoted(name)} is on the step."
                : $"{Format.Quoted(name)} is on the step, with {bundle.Files.Count - 1} files of its own.";
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
        return Page();
    }
}
