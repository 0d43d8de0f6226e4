using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;
using Wexil.Core.Pages;
using Wexil.Store;
using Wexil.Web.Shared;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>A page's name and source, with a live preview beside it.</summary>
public sealed class EditPageModel(StepScreens screens, PageStore pages, Drafts drafts, Routes routes) : StepPageModel(screens)
{
    private const int LongestSource = 4 << 20;

    public override string Stage => "build";

    public Page Shown { get; private set; } = null!;

    public string PreviewTicket => drafts.Ticket(Shown.Id);

    /// <summary>The page is in a running test, so a change of it starts a phase.</summary>
    public bool IsTested => Screen.Running?.Test.Pages.Contains(Shown.Id) == true;

    public int OptInForms => HostedHtml.OptInForms(Source ?? "");

    [BindProperty]
    [Required(ErrorMessage = "Give the page a name.")]
    [MaxLength(120, ErrorMessage = "At most 120 characters.")]
    public string Name { get; set; } = "";

    [BindProperty]
    public string? Source { get; set; }

    public override void OnPageHandlerExecuting(PageHandlerExecutingContext context)
    {
        base.OnPageHandlerExecuting(context);
        if (context.Result is not null) return;
        Shown = Screen.Pages.FirstOrDefault(page => page.Slug == (string)RouteData.Values["version"]!)!;
        if (Shown is null) context.Result = NotFound();
    }

    public void OnGet()
    {
        Name = Shown.Name;
        drafts.Drop(Shown.Id);
        if (Shown.IsHosted) Source = pages.Source(Shown);
    }

    /// <summary>While the source is typed: what the preview shows next.</summary>
    public IActionResult OnPostDraft()
    {
        if (!Shown.IsHosted || Source is null or { Length: > LongestSource }) return BadRequest();
        drafts.Put(Shown.Id, Source);
        return new NoContentResult();
    }

    public async Task<IActionResult> OnPostAsync()
    {
        if (Shown.IsHosted && string.IsNullOrWhiteSpace(Source)) ModelState.AddModelError(nameof(Source), "The page would be empty.");
        if (Source?.Length > LongestSource) ModelState.AddModelError(nameof(Source), $"A page is at most {LongestSource >> 20} MB of HTML.");
        if (!ModelState.IsValid) return Page();
        if (Name.Trim() != Shown.Name) await pages.RenameAsync(Shown.Id, Name.Trim());
        // Browsers send line ends as CR LF; the page keeps the ones that it has.
        if (Shown.IsHosted && pages.Source(Shown) is var before && AsBefore(Source!, before) is var source && source != before)
        {
            await pages.SaveSourceAsync(Shown with { Name = Name.Trim() }, source);
            drafts.Drop(Shown.Id);
        }
        routes.Reload();
        Done = IsTested ? $"“{Name.Trim()}” is saved and shown from now on. The test goes on in a new phase." : $"“{Name.Trim()}” is saved.";
        return Redirect(Screen.Address("build"));
    }

    private static string AsBefore(string typed, string before) => before.Contains("\r\n", StringComparison.Ordinal) ? typed : typed.ReplaceLineEndings("\n");
}
