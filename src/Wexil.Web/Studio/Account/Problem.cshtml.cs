using Microsoft.AspNetCore.Diagnostics;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Store;

namespace Wexil.Web.Studio.Account;

/// <summary>Says what went wrong, in words.</summary>
[IgnoreAntiforgeryToken]
public sealed class ProblemModel : PageModel
{
    public string Heading { get; private set; } = "";
    public string Words { get; private set; } = "";

    public void OnGet(int? status) => Tell(status);

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
                trouble.Message + " Nothing was changed; go back and try once more."
            ),
            (not null, _) => (
                "Something went wrong",
                "Nothing was changed. Go back and try once more; visitors are not affected."
            ),
            (_, 404) => ("Not here", "There is nothing at this address. It may have been renamed."),
            (_, 400) => (
                "Not taken in",
                "The form was open for too long, or did not come from here. Go back, load the page again and "
                    + "send it once more."
            ),
            (_, 413) => ("Too large", TooLarge()),
            (_, 429) => ("Too many tries", "Wait a minute, then try again."),
            _ => ("Something went wrong", "Go back and try once more."),
        };
}
