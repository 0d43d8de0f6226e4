using System.Text;
using Microsoft.AspNetCore.Mvc;
using Wexil.Core.Pages;
using Wexil.Core.Splits;
using Wexil.Store;
using Wexil.Web.Shared;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>Brings a page in: a file, pasted source, or an address outside.</summary>
public sealed class AddPageModel(StepScreens screens, PageStore pages, Routes routes) : StepPageModel(screens)
{
    private const int LongestName = 120, LongestSource = 4 << 20;
    private static readonly ArchiveLimits Limits = new();

    public override string Stage => "build";

    [BindProperty]
    public string? Name { get; set; }

    [BindProperty]
    public string? Html { get; set; }

    [BindProperty]
    public string? Outside { get; set; }

    [BindProperty]
    public IFormFile? Upload { get; set; }

    public void OnGet()
    {
        // Nothing to read: the form is empty.
    }

    public async Task<IActionResult> OnPostUploadAsync()
    {
        if (Upload is not { Length: > 0 } upload) return Refuse(nameof(Upload), "Choose an .html or .zip file.");
        if (upload.Length > Limits.TotalBytes) return Refuse(nameof(Upload), $"The file is larger than {Limits.TotalBytes >> 20} MB.");
        await using var stream = upload.OpenReadStream();
        if (Path.GetExtension(upload.FileName).Equals(".zip", StringComparison.OrdinalIgnoreCase))
        {
            var (bundle, problem) = PageArchive.Read(stream, Limits);
            return bundle is null ? Refuse(nameof(Upload), problem!) : await Add(bundle);
        }
        if (!ContentTypes.IsHtml(upload.FileName)) return Refuse(nameof(Upload), "This is neither an .html nor a .zip file.");
        if (upload.Length > LongestSource) return Refuse(nameof(Upload), $"A page is at most {LongestSource >> 20} MB of HTML.");
        using var memory = new MemoryStream();
        await stream.CopyToAsync(memory);
        return await Add(Single(PageText.Decode(memory.ToArray())));
    }

    public async Task<IActionResult> OnPostPasteAsync()
    {
        if (string.IsNullOrWhiteSpace(Html)) return Refuse(nameof(Html), "Paste the page’s HTML.");
        if (!Html.Contains('<')) return Refuse(nameof(Html), "There is no HTML in this: it has no tags.");
        return Html.Length > LongestSource ? Refuse(nameof(Html), $"A page is at most {LongestSource >> 20} MB of HTML.") : await Add(Single(Html));
    }

    public async Task<IActionResult> OnPostOutsideAsync()
    {
        var (address, problem) = OutsideAddress.Check(Outside);
        if (address is null) return Refuse(nameof(Outside), problem!);
        var name = NameOr(address.AbsolutePath.Trim('/') is { Length: > 0 } path ? path : address.Host);
        if (name is null) return Page();
        var page = pages.Find(await pages.AddAsync(Screen.Step.Id, name, address))!;
        routes.Reload();
        Done = $"“{page.Name}” is on the step. To count there, it carries Wexil’s script: the line to paste stands below.";
        return Redirect(Screen.Address($"build/{page.Slug}"));
    }

    private static PageBundle Single(string html) => new([new("index.html", Encoding.UTF8.GetBytes(html))], "index.html");

    private async Task<IActionResult> Add(PageBundle bundle)
    {
        var html = PageText.Decode(bundle.Files.Single(file => file.Path == bundle.Entry).Content);
        if (NameOr(HostedHtml.Title(html) ?? Screen.Step.Name) is not { } name) return Page();
        await pages.AddAsync(Screen.Step.Id, name, bundle);
        routes.Reload();
        Done = bundle.Files.Count == 1 ? $"“{name}” is on the step." : $"“{name}” is on the step, with {bundle.Files.Count - 1} files of its own.";
        return Redirect(Screen.Address("build"));
    }

    private string? NameOr(string suggestion)
    {
        var name = string.IsNullOrWhiteSpace(Name) ? suggestion : Name.Trim();
        if (name.Length <= LongestName) return name;
        if (string.IsNullOrWhiteSpace(Name)) return name[..LongestName];
        ModelState.AddModelError(nameof(Name), $"At most {LongestName} characters.");
        return null;
    }

    private IActionResult Refuse(string field, string problem)
    {
        ModelState.AddModelError(field, problem);
        return Page();
    }
}
