using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Store.Team;
using Wexil.Web.Studio.Account;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Studio.Profile;

/// <summary>A member's own name and password, and where they are signed in.</summary>
[EveryRole]
public sealed class AccountModel(
    TeamStore team,
    Passwords passwords,
    Sessions sessions,
    SessionStore store,
    SignInAttempts attempts
) : PageModel
{
    public Member Self { get; private set; } = null!;

    /// <summary>Where they are signed in, the newest first.</summary>
    public IReadOnlyList<Session> Open { get; private set; } = [];

    /// <summary>The one that asks.</summary>
    public Session Own { get; private set; } = null!;

    /// <summary>A link from the command line opened it, so the password may have been forgotten.</summary>
    public bool NeedsCurrent => Self.PasswordHash is not null && !Own.IsByLink;

    [BindProperty]
    public string? Name { get; set; }

    [BindProperty]
    public string? Current { get; set; }

    [BindProperty]
    [Required(ErrorMessage = "Choose a password.")]
    [Password]
    public string? New { get; set; }

    [TempData]
    public string? Done { get; set; }

    /// <summary>Shows both.</summary>
    public void OnGet() => Load();

    /// <summary>Another name.</summary>
    [Logged("Changed their name")]
    public async Task<IActionResult> OnPostNameAsync()
    {
        var typed = Name?.Trim() ?? "";
        Load();
        ModelState.Clear();
        if (typed.Length is 0 or > Member.MaxName)
            ModelState.AddModelError(nameof(Name), "Enter 1 to 60 characters.");
        else if (!await team.RenameAsync(Self.Id, typed))
            ModelState.AddModelError(nameof(Name), "Somebody here has this name. Choose another.");
        if (!ModelState.IsValid)
        {
            Name = typed;
            return Page();
        }
        AuditTrail.Detail(HttpContext, $"to {typed}");
        Done = $"Your name is now {typed}. You sign in by it.";
        return RedirectToPage();
    }

    /// <summary>Another password; every other browser is signed out.</summary>
    [Logged("Changed their password")]
    public async Task<IActionResult> OnPostPasswordAsync()
    {
        Load();
        const string wrong = "This is not your current password.";
        // Whoever sits at a browser that was left signed in guesses no faster than a stranger.
        if (NeedsCurrent && await attempts.ProblemWithPasswordAsync(HttpContext, Self, Current, wrong) is { } problem)
            ModelState.AddModelError(nameof(Current), problem);
        if (!ModelState.IsValid)
            return Page();
        await passwords.SetAsync(Self.Id, New!);
        await sessions.EndOthersAsync(HttpContext);
        Done = "Your password is changed. All other browsers are signed out.";
        return RedirectToPage();
    }

    /// <summary>Signs one browser out.</summary>
    [Logged("Signed one of their browsers out")]
    public async Task<IActionResult> OnPostEndAsync(string id)
    {
        Load();
        if (Open.Any(session => session.Id == id && session.Id != Own.Id))
            await store.EndAsync(id);
        Done = "That browser is signed out.";
        return RedirectToPage();
    }

    /// <summary>Signs all others out.</summary>
    [Logged("Signed their other browsers out")]
    public async Task<IActionResult> OnPostEndOthersAsync()
    {
        await sessions.EndOthersAsync(HttpContext);
        Done = "All other browsers are signed out.";
        return RedirectToPage();
    }

    private void Load()
    {
        (Self, Own) = (sessions.MemberOf(HttpContext), sessions.Of(HttpContext)!);
        Open = store.Open(Self.Id);
        Name = Self.Name;
    }
}
