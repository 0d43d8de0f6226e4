using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Microsoft.AspNetCore.RateLimiting;
using Wexil.App;
using Wexil.App.Tickets;

namespace Wexil.Web.Studio.Account;

[EnableRateLimiting("sign-in")]
public sealed class SignInModel(Owner owner, SignInLinks links, OwnDeviceTickets tickets, VisitorsAddress visitors)
    : PageModel
{
    [BindProperty]
    public string Password { get; set; } = "";

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
            ModelState.AddModelError("", "This link was already used or has expired. Restart Wexil for a new one.");
            return Page();
        }
        await Owner.SignInAsync(HttpContext);
        return Redirect(SignedInModel.MarkAddress(tickets, visitors));
    }

    public async Task<IActionResult> OnPostAsync()
    {
        if (!owner.Verify(Password))
        {
            ModelState.AddModelError(nameof(Password), "Wrong password.");
            return Page();
        }
        await Owner.SignInAsync(HttpContext);
        return LocalRedirect(Url.IsLocalUrl(ReturnUrl) && ReturnUrl != "/" ? ReturnUrl : "/signed-in?hop=true");
    }

    public async Task<IActionResult> OnPostOutAsync()
    {
        await HttpContext.SignOutAsync();
        return Redirect("/sign-in");
    }
}
