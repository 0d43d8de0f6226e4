using Microsoft.AspNetCore.Mvc;
using Wexil.App.Wording;
using Wexil.Pages.Editing;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>What a page says about itself, and the code that it takes along.</summary>
public sealed class SettingsModel(StepScreens screens, PageContext context) : PageScreenModel(screens, context)
{
    private const int MaxCodeLength = 64 << 10;

    [BindProperty]
    public string? Title { get; set; }

    [BindProperty]
    public string? Description { get; set; }

    [BindProperty]
    public string? SharePicture { get; set; }

    [BindProperty]
    public string? HeadCode { get; set; }

    [BindProperty]
    public string? BodyCode { get; set; }

    [BindProperty]
    public bool Indexed { get; set; }

    public IActionResult OnGet()
    {
        if (!Shown.IsHosted)
            return NotFound();
        var settings = PageSettings.Read(Context.Drafts.For(Shown).Source);
        (Title, Description, SharePicture, HeadCode, BodyCode, Indexed) = (
            settings.Title,
            settings.Description,
            settings.SharePicture,
            settings.HeadCode,
            settings.BodyCode,
            Shown.IsIndexed
        );
        return Page();
    }

    [Logged("Changed the settings of a page")]
    public async Task<IActionResult> OnPostAsync()
    {
        if (!Shown.IsHosted)
            return NotFound();
        Check(nameof(Title), Title, 300);
        Check(nameof(Description), Description, 1000);
        Check(nameof(HeadCode), HeadCode, MaxCodeLength);
        Check(nameof(BodyCode), BodyCode, MaxCodeLength);
        if (
            !string.IsNullOrWhiteSpace(SharePicture)
            && !Uri.TryCreate(SharePicture.Trim(), UriKind.RelativeOrAbsolute, out _)
        )
            ModelState.AddModelError(nameof(SharePicture), "Enter a web address.");
        if (!ModelState.IsValid)
            return Page();
        if (Indexed != Shown.IsIndexed)
            await Context.Pages.SetIndexedAsync(Shown.Id, Indexed);
        var draft = Context.Drafts.For(Shown);
        var edited = PageEditor.Apply(
            draft.Source,
            new PageEdit.Settings(
                new(Line(Title), Line(Description), Line(SharePicture), Lines(HeadCode), Lines(BodyCode))
            )
        );
        if (edited.Source! != draft.Source)
            await Context.Drafts.EditAsync(Shown, draft, edited.Source!, edited.Label);
        Done = "Settings saved to the draft. They go live when you publish.";
        return Redirect(Own());
    }

    private void Check(string field, string? value, int longest)
    {
        if (value?.Length > longest)
            ModelState.AddModelError(
                field,
                $"At most {Format.Count(longest)} characters; this has {Format.Count(value.Length)}."
            );
    }

    private static string Line(string? value) =>
        string.Join(' ', (value ?? "").Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));

    private static string Lines(string? value) => (value ?? "").ReplaceLineEndings("\n").Trim();
}
