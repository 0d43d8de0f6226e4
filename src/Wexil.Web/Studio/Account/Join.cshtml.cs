using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Store.Team;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Studio.Account;

/// <summary>Somebody follows an invitation, and chooses what they sign in by.</summary>
[EveryRole]
public sealed class JoinModel(InvitationStore invitations, TeamStore team, Passwords passwords, SignInAttempts attempts)
    : PageModel
{
    [BindProperty(SupportsGet = true)]
    public string? Key { get; set; }

    [BindProperty]
    [Required(ErrorMessage = "Enter your name.")]
    [MaxLength(Member.MaxName, ErrorMessage = "At most 60 characters.")]
    public string? Name { get; set; }

    [BindProperty]
    [Required(ErrorMessage = "Choose a password.")]
    [Password]
    public string? Password { get; set; }

    /// <summary>Null where the link opens nothing any more.</summary>
    public Invitation? Invitation { get; private set; }

    public void OnGet()
    {
        Invitation = invitations.Find(Key);
        Name = Invitation?.MeantFor;
    }

    [Logged(null)]
    public async Task<IActionResult> OnPostAsync()
    {
        Invitation = invitations.Find(Key);
        if (Invitation is null)
            return Page();
        if (string.IsNullOrWhiteSpace(Name) || !ModelState.IsValid)
            return Page();
        if (await team.JoinAsync(Invitation, Name.Trim(), passwords.Hash(Password!)) is not { } joined)
        {
            ModelState.AddModelError(nameof(Name), "Somebody here has this name. Choose another.");
            return Page();
        }
        await attempts.JoinAsync(HttpContext, team.Find(joined)!);
        return LocalRedirect(SignedInModel.AddressAfter(Url, "/"));
    }
}
