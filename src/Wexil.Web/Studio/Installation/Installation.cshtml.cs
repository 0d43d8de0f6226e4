using Microsoft.AspNetCore.Mvc;
using Wexil.App;
using Wexil.App.Installation;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Installation;

/// <summary>
/// What has to be pasted into a funnel's outside pages, whether it was, and links for who looks after the site.
/// </summary>
public sealed class InstallationModel(
    FunnelStore funnels,
    ScriptInstallation installation,
    InstallationStore wiring,
    TestStore tests,
    GoalStore goals,
    VisitorsAddress visitors,
    OwnerTime clock
) : FunnelPageModel(funnels)
{
    public IReadOnlyList<InstalledPage> Pages => installation.ForFunnel(Funnel.Id);

    /// <summary>
    /// The goals of running tests that a picture or a script on a page can tell of, by name, and the picture.
    /// </summary>
    public IReadOnlyList<(string Name, string Picture)> Pictures =>
        [
            .. tests
                .OpenIn(Funnel.Id)
                .SelectMany(test => goals.ForTest(test.Id))
                .Where(goal => goal.Goal.Kind == GoalKind.Signal)
                .Select(goal =>
                    (
                        goal.Goal.Name,
                        $"<img data-wexil-src=\"{visitors.Origin}/signal/{goal.Key}\" alt=\"\" width=\"1\" "
                            + "height=\"1\">"
                    )
                ),
        ];

    public string Line => installation.Line;

    public IReadOnlyList<SharedLink> Links => wiring.Links.For(Funnel.Id.Value);

    /// <summary>A link that was just made; it is shown this once.</summary>
    [TempData]
    public string? Made { get; set; }

    /// <summary>The pages that a link to be made shows.</summary>
    [BindProperty]
    public IReadOnlyList<long> Chosen { get; set; } = [];

    public void OnGet() { }

    [Logged("Checked how pages are wired")]
    public async Task<IActionResult> OnPostCheckAsync(long? page)
    {
        var wired = Pages.Where(shown => page is null || shown.Page.Id.Value == page).ToArray();
        var (bad, blind) = (0, 0);
        foreach (var shown in wired)
        {
            var check = await installation.CheckAsync(shown, HttpContext.RequestAborted);
            if (check.IsBlind)
                blind++;
            else if (!check.IsGood)
                bad++;
        }
        Done = Found(wired.Length - blind, bad, blind);
        return Redirect($"/f/{Funnel.Slug}/wiring");
    }

    [Logged("Shared the wiring of a funnel")]
    public async Task<IActionResult> OnPostShareAsync()
    {
        var all = Pages;
        var shown = all.Where(page => Chosen.Contains(page.Page.Id.Value)).Select(page => page.Page.Id).ToArray();
        if (all.Count > 0 && shown.Length == 0)
        {
            ModelState.AddModelError(nameof(Chosen), "Choose at least one page.");
            return Page();
        }
        var token = await wiring.Links.MakeAsync(Funnel.Id.Value);
        await wiring.ChooseAsync(token, shown);
        Made = $"{visitors.Origin}/share/{token}";
        return Redirect($"/f/{Funnel.Slug}/wiring");
    }

    [Logged("Withdrew a shared link")]
    public async Task<IActionResult> OnPostWithdrawAsync(long link)
    {
        await wiring.Links.WithdrawAsync(Funnel.Id.Value, link);
        Done = "Link turned off.";
        return Redirect($"/f/{Funnel.Slug}/wiring");
    }

    private static string Found(int looked, int bad, int blind)
    {
        var unseen =
            blind == 0
                ? ""
                : $" {Format.Count(blind, "page", "pages")} at a private address could not be checked; "
                    + "you can allow it in Settings.";
        if (looked == 0)
            return $"Nothing was checked.{unseen}";
        return $"{Format.Count(looked, "page", "pages")} checked: "
            + $"{(bad == 0 ? "no problems" : Format.Count(bad, "has a problem", "have problems"))}.{unseen}";
    }

    public string Until(SharedLink link) => clock.Moment(link.Until);
}
