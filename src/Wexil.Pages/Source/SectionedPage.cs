using System.Text;

namespace Wexil.Pages.Source;

/// <summary>A part of a page that has versions, where it stands in the page's source.</summary>
/// <param name="Key">The section's name in addresses; a page may have the same section in several places.</param>
/// <param name="Start">The place of its start tag.</param>
/// <param name="End">The place behind it.</param>
public readonly record struct SectionPlace(string Key, int Start, int End);

/// <summary>A page's source with its sections, from which any combination of their versions is put together.</summary>
public sealed class SectionedPage
{
    private SectionedPage(string source, IReadOnlyList<SectionPlace> places) => (Source, Places) = (source, places);

    /// <summary>The source without any mark.</summary>
    public string Source { get; }

    /// <summary>In the order of the page; none stands within another.</summary>
    public IReadOnlyList<SectionPlace> Places { get; }

    /// <summary>
    /// Finds the sections of a page. A section within another is a part of it, and what is not well formed is none.
    /// </summary>
    public static SectionedPage Parse(string source)
    {
        // Most pages have none, and a page is long.
        if (!source.Contains(SectionMark.Attribute, StringComparison.OrdinalIgnoreCase))
            return new(source, []);
        var map = SourceMap.Parse(source);
        var marks = map
            .Elements.SelectMany(element => SectionMark.All.Select(mark => element.Tag[mark]))
            .OfType<SourceAttribute>()
            .Select(mark => (Start: Spaced(source, mark), mark.End))
            .OrderBy(mark => mark.Start)
            .ToArray();
        var edits = new SourceEdits(source);
        foreach (var (start, end) in marks)
            edits.Replace(start, end, "");
        // The marks themselves, and those of sections within, are no part of the section.
        int Unmarked(int place) =>
            place - marks.TakeWhile(mark => mark.Start < place).Sum(mark => mark.End - mark.Start);
        SectionPlace[] places =
        [
            .. SectionMark
                .Find(map)
                .Select(found => new SectionPlace(found.Key, Unmarked(found.Start), Unmarked(found.End))),
        ];
        return new(edits.Apply(), places);
    }

    /// <summary>The page with a version in the place of each section.</summary>
    /// <param name="version">The source of the version, by section and as the section stands in the page; given back
    /// as it is, the page stays as it is there.</param>
    public string Compose(Func<SectionPlace, string, string> version)
    {
        var page = new StringBuilder(Source.Length + 1024);
        var place = 0;
        foreach (var section in Places)
        {
            page.Append(Source, place, section.Start - place);
            page.Append(version(section, Source[section.Start..section.End]));
            place = section.End;
        }
        return page.Append(Source, place, Source.Length - place).ToString();
    }

    /// <summary>
    /// The source of a section as it stands in the page first; null where the page has no such section.
    /// </summary>
    public string? First(string key)
    {
        foreach (var place in Places)
            if (place.Key == key)
                return Source[place.Start..place.End];
        return null;
    }

    // With the space that was put before it.
    private static int Spaced(string source, SourceAttribute mark) =>
        char.IsWhiteSpace(source[mark.Start - 1]) ? mark.Start - 1 : mark.Start;
}
