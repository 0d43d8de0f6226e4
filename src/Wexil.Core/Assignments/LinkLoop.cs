namespace Wexil.Core.Assignments;

/// <summary>Finds links that lead in a circle: a visitor sent round would never see a page.</summary>
public static class LinkLoop
{
    /// <summary>
    /// The way from an address back to a step's own link, by the links on it; null when there is none.
    /// </summary>
    /// <param name="address">Where visitors of the step are to be sent.</param>
    /// <param name="home">The origin of the visitors' side, whose links these are.</param>
    public static IReadOnlyList<string>? Find(RouteTable table, string slug, Uri address, string home) =>
        Follow(table, slug, address, home, [], []);

    private static IReadOnlyList<string>? Follow(
        RouteTable table,
        string slug,
        Uri address,
        string home,
        List<string> way,
        HashSet<string> seen
    )
    {
        foreach (var next in Links(table, address, home))
        {
            if (next == slug)
                return [.. way, next];
            if (!seen.Add(next) || table.Step(next) is not { } step)
                continue;
            way.Add(next);
            foreach (var onward in Onward(step))
                if (Follow(table, slug, onward, home, way, seen) is { } found)
                    return found;
            way.RemoveAt(way.Count - 1);
        }
        return null;
    }

    /// <summary>The links that an address here is, or leads to at once.</summary>
    private static IEnumerable<string> Links(RouteTable table, Uri address, string home)
    {
        if (!address.GetLeftPart(UriPartial.Authority).Equals(home, StringComparison.OrdinalIgnoreCase))
            return [];
        return address.AbsolutePath.Trim('/').Split('/') switch
        {
            ["go", var slug] => [Uri.UnescapeDataString(slug).ToLowerInvariant()],
            ["buy", var page] when table.Page(page) is { } own && table.Step(own.Step)?.YesSlug is { } yes => [yes],
            ["no", var page] when table.Page(page) is { } own && table.Step(own.Step)?.NoSlug is { } no => [no],
            _ => [],
        };
    }

    private static IEnumerable<Uri> Onward(RouteStep step)
    {
        if (step.Forward is { } forward)
            return [new Uri(forward)];
        RoutePage?[] shown = [step.Page, step.Test?.Others, .. step.Test?.Pages ?? [], .. step.Tied.Values];
        return shown.Where(page => page?.Outside is not null).Select(page => page!.Outside!.Address);
    }
}
