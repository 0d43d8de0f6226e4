using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App;
using Wexil.App.Tickets;

namespace Wexil.Web.Studio.Account;

/// <summary>Signing in, by the password or by a link from the command line; and out.</summary>
public sealed class SignInModel(
    Owner owner,
    SignInLinks links,
    Sessions sessions,
    SignInThrottle throttle,
    OwnDeviceTickets tickets,
    VisitorsAddress visitors
) : PageModel
{
    [BindProperty]
    public string? Password { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? ReturnUrl { get; set; }

    public bool HasPassword => owner.HasPassword;

    /// <summary>With a key from a printed link: signs in once.</summary>
    public async Task<IActionResult> OnGetAsync(string? key)
    {
        if (key is null)
            return User.Identity?.IsAuthenticated == true ? Redirect("/") : Page();
        if (!links.Redeem(key))
        {
            ModelState.AddModelError(
                "",
                "This link was already used or has expired. `wexil sign-in` prints a new one."
            );
            return Page();
        }
        await sessions.BeginAsync(HttpContext, isByLink: true);
        return Redirect(SignedInModel.MarkAddress(tickets, visitors));
    }

    public async Task<IActionResult> OnPostAsync()
    {
        var address = HttpContext.Connection.RemoteIpAddress;
        if (throttle.Wait(address) is { Ticks: > 0 } wait)
            return Slow(wait);
        if (!await owner.VerifyAsync(Password ?? ""))
        {
            throttle.Fail(address);
            ModelState.AddModelError(nameof(Password), "Wrong password.");
            return Page();
        }
        throttle.Succeed(address);
        await sessions.BeginAsync(HttpContext, isByLink: false);
        return LocalRedirect(Url.IsLocalUrl(ReturnUrl) && ReturnUrl != "/" ? ReturnUrl : "/signed-in?hop=true");
    }

    public async Task<IActionResult> OnPostOutAsync()
    {
        await sessions.EndAsync(HttpContext);
        return Redirect("/sign-in");
    }

    private IActionResult Slow(TimeSpan wait)
    {
        ModelState.AddModelError(nameof(Password), SignInThrottle.Say(wait));
        Response.StatusCode = StatusCodes.Status429TooManyRequests;
        Response.Headers.RetryAfter = Math.Ceiling(wait.TotalSeconds).ToString(CultureInfo.InvariantCulture);
        return Page();
    }
}
