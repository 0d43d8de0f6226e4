using Wexil.App;
using Wexil.App.Visits;
using Wexil.App.Wording;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Store;

namespace Wexil.Web.Studio.Shared;

/// <summary>Reads an address to which a step's visitors are to be sent.</summary>
public sealed class TypedAddress(Routes routes, PageStore pages, VisitorsAddress visitors)
{
    /// <summary>
    /// Another page whose visitors could not be told from those of this one, in words; empty where there is none.
    /// </summary>
    public string TwinOf(PageId page, Uri address)
    {
        var here = new OutsideAddress(address);
        var twin = routes.Current.Pages.FirstOrDefault(other =>
            other.Id != page && other.Outside is { } outside && outside.IsSamePage(here)
        );
        return twin is null
            ? ""
            : $" {Format.Quoted(pages.Find(twin.Id)!.Name)} has the same address, so visits count for the page "
                + "added first. Give one of the two addresses an extra parameter.";
    }

    /// <summary>The address, or what is wrong with it in words.</summary>
    /// <param name="slug">The step's link; null for a step that is only being made.</param>
    public (Uri? Address, string? Problem) Read(string? typed, string? slug)
    {
        var (address, problem) = OutsideAddress.Check(typed);
        if (
            address is null
            || slug is null
            || LinkLoop.Find(routes.Current, slug, address, visitors.Origin) is not { } way
        )
            return (address, problem);
        return (
            null,
            way.Count == 1
                ? $"This leads back to /go/{slug}, the step’s own link: visitors would be redirected in a loop. "
                    + "Enter the address of the page itself."
                : $"This redirects in a loop: {string.Join(" → ", way.Select(step => $"/go/{step}"))}. Enter "
                    + "the address of the page itself."
        );
    }
}
