using Microsoft.AspNetCore.Diagnostics;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Studio.Account;

/// <summary>Says what went wrong, in words.</summary>
[IgnoreAntiforgeryToken]
[EveryRole]
public sealed class ProblemModel : PageModel
{
    public string Heading { get; private set; } = "";
    public string Words { get; private set; } = "";

    public void OnGet(int? status) => Tell(status);

    [Logged(null)]
    public void OnPost(int? status) => Tell(status);

    private string TooLarge() =>
        BodyLimits.Refused(HttpContext) is { } limit
            ? $"At most {(limit >= 1 << 20 ? $"{limit >> 20} MB" : $"{limit >> 10} KB")} can be sent here. "
                + "Nothing was changed; go back, and the form is as you left it."
            : "This is more than can be sent here. Nothing was changed.";

    private void Tell(int? status) =>
        (Heading, Words) = (HttpContext.Features.Get<IExceptionHandlerFeature>()?.Error, status) switch
        {
            (StoreException trouble, _) => (
                "Not saved",
                trouble.Message + " Nothing was changed; go back and try again."
            ),
            (not null, _) => (
                "Something went wrong",
                "Nothing was changed. Go back and try again; visitors are not affected."
            ),
            (_, 404) => ("Page not found", "Check the address; the page may have been renamed."),
            (_, 400) => (
                "Form not accepted",
                "The form has expired or came from another site. Reload the page and send it again."
            ),
            (_, 403) => (
                "Not in your role",
                "Your role does not include this. Ask the owner of this Wexil; nothing was changed."
            ),
            (_, 413) => ("Too large", TooLarge()),
            (_, 429) => ("Too many attempts", "Wait a minute, then try again."),
            _ => ("Something went wrong", "Go back and try again."),
        };
}
