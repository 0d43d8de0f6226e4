using Wexil.App;
using Wexil.App.Visits;
using Wexil.App.Wording;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Store;

namespace Wexil.Web.Studio.Shared;

/// <summary>Reads an address to which a step's visitors are to be sent.</summary>
public sealed class TypedAddress(Routes routes, PageStore pages, FunnelStore funnels, VisitorsAddress visitors)
{
    /// <summary>
    /// Another page at the same address, and where its visitors count, in words; empty where there is none.
    /// </summary>
    public string TwinOf(PageId page, Uri address)
    {
        var here = new OutsideAddress(address);
        var funnel = routes.Current.Pages.FirstOrDefault(own => own.Id == page)?.Funnel;
        var twin = routes
            .Current.Pages.Where(other => other.Id != page && other.HoldsAddress)
            .Where(other => other.Outside is { } outside && outside.IsSamePage(here))
            .OrderBy(other => other.Funnel != funnel)
            .FirstOrDefault();
        if (twin is null)
            return "";
        var name = Format.Quoted(pages.Find(twin.Id)!.Name);
        return twin.Funnel == funnel
            ? $" {name} has the same address, so visits count for the page added first. Give one of the two addresses "
                + "an extra parameter."
            : $" {name} in the funnel {Format.Quoted(funnels.Every()[twin.Funnel].Name)} has the same address: "
                + "a visitor counts in the funnel that they came through last.";
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
