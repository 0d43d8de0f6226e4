namespace Wexil.Pages.Source;

/// <summary>Writes versions into a page's source for good: where they stand, there is no section any more.</summary>
public static class WrittenSections
{
    /// <summary>The source with a version in the place of each section that has one.</summary>
    /// <param name="source">With its marks.</param>
    /// <param name="version">The version's own source, by the section's key and its source as it stands in the page;
    /// null for a section that stays one.</param>
    public static string WriteIn(string source, Func<string, string, string?> version)
    {
        var page = SectionedPage.Parse(source);
        if (page.Places.Count == 0)
            return source;
        var edits = new SourceEdits(source);
        // Each of them is a place of the page, in the same order.
        foreach (var (found, place) in SectionMark.Find(SourceMap.Parse(source)).Zip(page.Places))
            if (version(place.Key, page.Source[place.Start..place.End]) is { } written)
                edits.Replace(found.Start, found.End, written);
        return edits.Apply();
    }
}
