using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Store;
using Wexil.Web.Studio.Account;

namespace Wexil.Web.Studio.Settings;

/// <summary>The owner's password, and where they are signed in.</summary>
public sealed class AccountModel(Owner owner, Sessions sessions, SessionStore store, SignInThrottle throttle)
    : PageModel
{
    /// <summary>Where the owner is signed in, the newest first.</summary>
    public IReadOnlyList<Session> Open { get; private set; } = [];

    /// <summary>The one that asks.</summary>
    public Session Own { get; private set; } = null!;

    /// <summary>A link from the command line opened it, so the password may have been forgotten.</summary>
    public bool NeedsCurrent => owner.HasPassword && !Own.IsByLink;

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

    /// <summary>Another password; every other browser is signed out.</summary>
    public async Task<IActionResult> OnPostPasswordAsync()
    {
        Load();
        if (NeedsCurrent && await ProblemWithCurrentAsync() is { } problem)
            ModelState.AddModelError(nameof(Current), problem);
        if (!ModelState.IsValid)
            return Page();
        await owner.SetPasswordAsync(New!);
        await sessions.EndOthersAsync(HttpContext);
        Done = "Your password is changed. All other browsers are signed out.";
        return RedirectToPage();
    }

    /// <summary>Signs one browser out.</summary>
    public async Task<IActionResult> OnPostEndAsync(string id)
    {
        Load();
        if (Open.Any(session => session.Id == id && session.Id != Own.Id))
            await store.EndAsync(id);
        Done = "That browser is signed out.";
        return RedirectToPage();
    }

    /// <summary>Signs all others out.</summary>
    public async Task<IActionResult> OnPostEndOthersAsync()
    {
        await sessions.EndOthersAsync(HttpContext);
        Done = "All other browsers are signed out.";
        return RedirectToPage();
    }

    /// <summary>Whoever sits at a browser that was left signed in guesses no faster than a stranger.</summary>
    private async Task<string?> ProblemWithCurrentAsync()
    {
        var address = HttpContext.Connection.RemoteIpAddress;
        if (throttle.Wait(address) is { Ticks: > 0 } wait)
            return SignInThrottle.Say(wait);
        if (await owner.VerifyAsync(Current ?? ""))
            return null;
        throttle.Fail(address);
        return "This is not your current password.";
    }

    private void Load() => (Open, Own) = (store.Open(), sessions.Of(HttpContext)!);
}
