using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App;
using Wexil.App.Tickets;
using Wexil.Store.Team;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Studio.Account;

/// <summary>Signing in, by the password or by a link from the command line; and out.</summary>
[EveryRole]
public sealed class SignInModel(
    TeamStore team,
    SignInLinks links,
    Sessions sessions,
    SignInAttempts attempts,
    KnownDevices devices,
    OwnDeviceTickets tickets,
    VisitorsAddress visitors
) : PageModel
{
    /// <summary>Empty for the owner.</summary>
    [BindProperty]
    public string? Name { get; set; }

    [BindProperty]
    public string? Password { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? ReturnUrl { get; set; }

    /// <summary>The owner of a new Wexil has none yet.</summary>
    public bool HasPassword => team.All.Any(member => member.PasswordHash is not null);

    /// <summary>There are others than the owner, so the name says who it is.</summary>
    public bool AsksName => team.All.Count > 1;

    /// <summary>With a key from a printed link: signs in once.</summary>
    public async Task<IActionResult> OnGetAsync(string? key)
    {
        if (key is null)
        {
            Name = devices.Of(HttpContext) is { } member ? team.Find(member)?.Name : null;
            return User.Identity?.IsAuthenticated == true ? Redirect("/") : Page();
        }
        if (!links.Redeem(key))
        {
            ModelState.AddModelError(
                "",
                "This link was already used or has expired. `wexil sign-in` prints a new one."
            );
            return Page();
        }
        await attempts.BeginByLinkAsync(HttpContext);
        return Redirect(SignedInModel.MarkAddress(tickets, visitors));
    }

    [Logged(null)]
    public async Task<IActionResult> OnPostAsync()
    {
        var member = AsksName && !string.IsNullOrWhiteSpace(Name) ? team.Find(Name) : team.Owner;
        var wrong = AsksName ? "Wrong name or password." : "Wrong password.";
        if (await attempts.ProblemWithPasswordAsync(HttpContext, member, Password, wrong) is { } problem)
        {
            ModelState.AddModelError(nameof(Password), problem);
            return Page();
        }
        if (member!.HasSecondStep)
            return RedirectToPage("/Account/SignInCode", new { ticket = attempts.TicketFor(member), ReturnUrl });
        await attempts.BeginAsync(HttpContext, member);
        return LocalRedirect(SignedInModel.AddressAfter(Url, ReturnUrl));
    }

    [Logged("Signed out")]
    public async Task<IActionResult> OnPostOutAsync()
    {
        await sessions.EndAsync(HttpContext);
        return Redirect("/sign-in");
    }
}
