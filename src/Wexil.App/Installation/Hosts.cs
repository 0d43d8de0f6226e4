using Wexil.Core.Funnels;
using Wexil.Core.Pages;

namespace Wexil.App.Installation;

/// <summary>
/// What the hosts of pages mean for the count: a browser keeps an id for each host, so that who goes from one to the
/// other is known only by a link here or by the token.
/// </summary>
public static class Hosts
{
    /// <summary>That no page before an outside page is on its host; null where one is, or none is before it.</summary>
    /// <param name="before">The pages of the steps before.</param>
    /// <param name="link">The step's link.</param>
    public static Finding? Note(Page page, Step step, IReadOnlyList<Page> before, string link)
    {
        var outside = before
            .Where(other => other.Outside is not null)
            .Select(other => other.Outside!.Host)
            .Distinct(StringComparer.OrdinalIgnoreCase)
            .ToArray();
        if (outside.Length == 0 || outside.Contains(page.Outside!.Host, StringComparer.OrdinalIgnoreCase))
            return null;
        return new(
            "Visitors recognized",
            null,
            $"Visitors come here from {string.Join(" or ", outside)}, and most browsers do not share cookies "
                + "between the two hosts: visits here are credited only with the token.",
            $"Link to “{step.Name}” by {link}, or pass the token on: a hidden field <input "
                + "type=\"hidden\" name=\"wx\" data-wexil=\"token\"> in the order form, added to the address "
                + "again as ?wx=."
        );
    }

    /// <summary>
    /// Which of the tested pages are on another host than the goal's page, so that most browsers keep their visitors
    /// apart.
    /// </summary>
    /// <param name="leadsByLink">Pages hosted here lead to the goal's step by its link.</param>
    public static IReadOnlyList<Page> Apart(IEnumerable<Page> tested, Page goal, bool leadsByLink) =>
        [
            .. tested.Where(page =>
                page.Outside is { } outside
                    ? !outside.Host.Equals(goal.Outside!.Host, StringComparison.OrdinalIgnoreCase)
                    : !leadsByLink
            ),
        ];
}
