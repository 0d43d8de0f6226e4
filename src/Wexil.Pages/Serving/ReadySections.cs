using Wexil.Pages.Source;

namespace Wexil.Pages.Serving;

/// <summary>
/// A page with sections, made ready for every combination of their versions. What is given out is what the page would
/// be if its source had been written so.
/// </summary>
public sealed class ReadySections
{
    private readonly SectionedPage _page;
    private readonly PageServing _serving;
    private readonly IReadOnlyDictionary<string, string>[] _sources;
    private readonly string[] _between;
    private readonly Dictionary<string, string>[] _ready;
    private readonly List<string> _targets = [];
    private readonly bool _isJoined = true;

    private ReadySections(SectionedPage page, IReadOnlyDictionary<string, string>[] sources, PageServing serving)
    {
        (_page, _sources, _serving) = (page, sources, serving);
        var map = SourceMap.Parse(page.Source);
        var plain = HostedHtml.Edits(map, serving, _targets);
        var places = page.Places;
        _between = new string[places.Count + 1];
        var place = 0;
        for (var i = 0; i < places.Count; i++)
        {
            _between[i] = plain.Apply(place, places[i].Start);
            place = places[i].End;
        }
        _between[^1] = plain.Apply(place, page.Source.Length);
        _ready = [.. places.Select(section => First(plain.ApplyWithin(section.Start, section.End)))];
        for (var i = 0; i < places.Count; i++)
            foreach (var (name, source) in sources[i])
                _isJoined &= Add(map, i, name, source);
    }

    /// <summary>The sections in the order of the page.</summary>
    public IReadOnlyList<SectionPlace> Places => _page.Places;

    /// <summary>Where the buy buttons of all versions lead, in order.</summary>
    public IReadOnlyList<string> BuyTargets => _targets;

    /// <summary>About how much memory it takes, in bytes.</summary>
    public long Size =>
        2L
        * (
            _page.Source.Length
            + _between.Sum(text => text.Length)
            + 2 * _ready.Sum(versions => versions.Values.Sum(text => text.Length))
        );

    /// <summary>Makes a page and all versions of its sections ready.</summary>
    /// <param name="versions">The source of each version by its name, for each section by its key.</param>
    public static ReadySections Prepare(
        SectionedPage page,
        Func<string, IReadOnlyDictionary<string, string>> versions,
        PageServing serving
    ) => new(page, [.. page.Places.Select(section => versions(section.Key))], serving);

    /// <summary>Puts a combination together.</summary>
    /// <param name="version">The name of the version that a section shows, by its key; null, or a name that it has no
    /// version of, for what stands in the page.</param>
    public string Compose(Func<string, string?> version)
    {
        if (!_isJoined)
            return Whole(version);
        return Join(i => _ready[i].GetValueOrDefault(version(Places[i].Key) ?? "") ?? _ready[i][""]);
    }

    private string Join(Func<int, string> section)
    {
        var pieces = new string[_between.Length + _ready.Length];
        for (var i = 0; i < _ready.Length; i++)
            (pieces[2 * i], pieces[2 * i + 1]) = (_between[i], section(i));
        pieces[^1] = _between[^1];
        return string.Concat(pieces);
    }

    private static Dictionary<string, string> First(string text) => new(StringComparer.Ordinal) { [""] = text };

    /// <summary>
    /// Makes a version ready where it stands; false where it changes how the rest of the page is read.
    /// </summary>
    private bool Add(SourceMap plain, int section, string name, string source)
    {
        var (_, start, end) = Places[section];
        var map = SourceMap.Parse(_page.Compose((place, first) => place.Start == start ? source : first));
        var edits = HostedHtml.Edits(map, _serving, _targets);
        _ready[section][name] = edits.ApplyWithin(start, start + source.Length);
        return IsSelfContained(plain, map, start, end, start + source.Length);
    }

    /// <summary>
    /// Does a version end what it begins, and leave every element around it where it was? Then it can be joined to any
    /// other.
    /// </summary>
    private static bool IsSelfContained(SourceMap plain, SourceMap composed, int start, int plainEnd, int composedEnd)
    {
        int Moved(int place) => place <= start ? place : place + composedEnd - plainEnd;
        var around = plain
            .Elements.Where(element => element.Start < start || element.Start >= plainEnd)
            .Select(element => (element.Name, Moved(element.Start), Moved(element.End)));
        var stays = composed
            .Elements.Where(element => element.Start < start || element.Start >= composedEnd)
            .Select(element => (element.Name, element.Start, element.End));
        return around.SequenceEqual(stays)
            && composed.Elements.All(element =>
                element.Start < start || element.Start >= composedEnd || element.End <= composedEnd
            );
    }

    // A version that leaves a tag or a comment open changes what follows: then the page is read as a whole.
    private string Whole(Func<string, string?> version)
    {
        string VersionAt(SectionPlace place, string first) =>
            Sources(place).GetValueOrDefault(version(place.Key) ?? "") ?? first;
        // Buttons have the numbers that they have in every other combination.
        return HostedHtml.Edits(SourceMap.Parse(_page.Compose(VersionAt)), _serving, [.. _targets]).Apply();
    }

    private IReadOnlyDictionary<string, string> Sources(SectionPlace place)
    {
        for (var i = 0; i < Places.Count; i++)
            if (Places[i] == place)
                return _sources[i];
        return new Dictionary<string, string>();
    }
}
