using Microsoft.AspNetCore.Mvc;
using Wexil.App.Wording;
using Wexil.Pages.Differences;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Build;

/// <summary>Publishes a page that is in a running test: says first what that does to the evidence.</summary>
public sealed class PublishModel(StepScreens screens, PageContext context) : PageScreenModel(screens, context)
{
    /// <summary>What visitors will see otherwise than they do now.</summary>
    public PageChanges Changes { get; private set; } = null!;

    public string? Letter => Screen.Reading?.Letter(Shown.Id);

    [BindProperty]
    public string? Note { get; set; }

    public IActionResult OnGet()
    {
        if (!Shown.IsHosted)
            return NotFound();
        Changes = PageDifferences.Between(Context.Pages.Source(Shown), Context.Drafts.For(Shown).Source);
        return Page();
    }

    [Logged("Published a page")]
    public async Task<IActionResult> OnPostAsync()
    {
        if (!Shown.IsHosted)
            return NotFound();
        if (!Shown.HasDraft)
        {
            Done = "Nothing to publish: no changes since the last publish.";
            return Redirect(Own());
        }
        var looksTheSame = Context.Sections.LooksTheSame(Shown, Screen.Funnel.Id);
        var note = (Note ?? "").Trim();
        await Context.Pages.PublishAsync(
            Shown,
            Context.Drafts.For(Shown).Source,
            note.Length <= 200 ? note : note[..200],
            looksTheSame
        );
        var goesLive = await GoLiveAsync();
        Done =
            IsTested && !looksTheSame
                ? $"{Format.Quoted(Shown.Name)} is published. The test continues in a new phase. Earlier counts "
                    + "are kept."
                : $"{Format.Quoted(Shown.Name)} is published{(goesLive ? " and live" : "")}.";
        return Redirect(Screen.Address("build"));
    }
}
