using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Studio.Account;

/// <summary>The second step of signing in, for those who turned it on.</summary>
public sealed class SignInCodeModel(SignInAttempts attempts) : PageModel
{
    /// <summary>Says whose password was right.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Ticket { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? ReturnUrl { get; set; }

    [BindProperty]
    public string? Code { get; set; }

    public IActionResult OnGet() => attempts.MemberOf(Ticket) is null ? Redirect("/sign-in") : Page();

    [Logged(null)]
    public async Task<IActionResult> OnPostAsync()
    {
        // Pressed twice, the code was used up by the first, which signed in.
        if (User.Identity?.IsAuthenticated == true)
            return LocalRedirect(SignedInModel.AddressAfter(Url, ReturnUrl));
        if (attempts.MemberOf(Ticket) is not { } member)
            return Redirect("/sign-in");
        const string wrong = "This code is wrong or was used already. Wait for the next one.";
        if (
            member.HasSecondStep && await attempts.ProblemWithCodeAsync(HttpContext, member, Code, wrong) is { } problem
        )
        {
            ModelState.AddModelError(nameof(Code), problem);
            return Page();
        }
        await attempts.BeginAsync(HttpContext, member);
        return LocalRedirect(SignedInModel.AddressAfter(Url, ReturnUrl));
    }
}
