using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App;
using Wexil.App.Setup;
using Wexil.App.Tickets;

namespace Wexil.Web.Studio.Account;

/// <summary>
/// One hop over the visitors' host, which marks the device as the owner's, and back. A page leads on, and no redirect,
/// where a form was sent before or a browser would not send the strict cookie along.
/// </summary>
public sealed class SignedInModel(OwnDeviceTickets tickets, VisitorsAddress visitors, FirstTestGuide guide) : PageModel
{
    private static readonly TimeSpan Hop = TimeSpan.FromMinutes(5);

    public string Next { get; private set; } = "/";

    public static string MarkAddress(OwnDeviceTickets tickets, VisitorsAddress visitors) =>
        $"{visitors.Origin}/mine/{tickets.Issue(Hop)}?signing-in";

    /// <summary>Where somebody goes who has just signed in.</summary>
    /// <param name="wanted">The screen that they asked for before.</param>
    public static string AddressAfter(IUrlHelper url, string? wanted) =>
        url.IsLocalUrl(wanted) && wanted != "/" ? wanted : "/signed-in?hop=true";

    /// <param name="hop">The device is still to be marked.</param>
    public IActionResult OnGet(bool hop)
    {
        var isSignedIn = User.Identity?.IsAuthenticated == true;
        if (isSignedIn && hop)
            Next = MarkAddress(tickets, visitors);
        else if (isSignedIn)
            return Redirect(guide.State().Stage == FirstTestStage.Funnel ? "/first-test" : "/");
        return Page();
    }
}
