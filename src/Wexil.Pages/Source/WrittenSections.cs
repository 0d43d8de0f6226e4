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
        var elements = SourceMap
            .Parse(source)
            .Elements.Where(element => SectionMark.KeyOf(element) is not null)
            .OrderBy(element => element.Start)
            .ToArray();
        var next = 0;
        foreach (var place in page.Places)
        {
            // The places are the outermost of the marked elements, in the same order.
            var element = elements[next];
            while (next < elements.Length && elements[next].Start < element.End)
                next++;
            if (version(place.Key, page.Source[place.Start..place.End]) is { } written)
                edits.Replace(element.Start, element.End, written);
        }
        return edits.Apply();
    }
}
