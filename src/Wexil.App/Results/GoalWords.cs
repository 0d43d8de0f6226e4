using System.Collections.Concurrent;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;
using Wexil.Store;

namespace Wexil.App.Results;

/// <summary>Names what reaching a step counts as, by what the tested pages let their visitors do.</summary>
public sealed class GoalWords(PageStore pages, VisitorsAddress visitors)
{
    // A page is read once for each of its revisions; a test goes over the same few pages again and again.
    private readonly ConcurrentDictionary<PageId, (int Revision, bool HasLink)> _known = [];

    /// <summary>In the plural and the singular.</summary>
    public (string Many, string One) For(Step step, Step goal, IReadOnlyList<Page> tested) =>
        step is { Kind: StepKind.OptIn, IsSection: false } && tested.Any(page => HasLink(page, step))
            ? ("conversions", "conversion")
            : step.Kind.ConversionWords(goal.Kind);

    /// <summary>Visitors can go on without giving an address.</summary>
    private bool HasLink(Page page, Step step)
    {
        if (!page.IsHosted)
            return false;
        if (_known.TryGetValue(page.Id, out var known) && known.Revision == page.Revision)
            return known.HasLink;
        var source = pages.Source(page);
        // Most pages have no such link, and need not be taken apart to see it.
        var hasLink =
            (source.Contains("/go/", StringComparison.Ordinal) || source.Contains("/p/", StringComparison.Ordinal))
            && Wiring.Check(source, new(page.Slug, step.Slug, visitors.Origin, []), step.Kind).Links > 0;
        return (_known[page.Id] = (page.Revision, hasLink)).HasLink;
    }
}
