using System.Globalization;
using System.Runtime.InteropServices;
using Microsoft.Data.Sqlite;
using Wexil.Core.Results;

namespace Wexil.Store.Recording.Projection;

/// <summary>The version of one section that a visitor sees.</summary>
/// <param name="HasConverted">In that section's test.</param>
internal readonly record struct SectionPlace(long Test, long Page, bool HasConverted);

/// <summary>
/// Keeps which versions of the sections of a page each visitor sees, and sums up the combinations, and the pairs of
/// versions in them.
/// </summary>
internal sealed class CombinationProjection(SqliteConnection connection, TestProjection tests) : IDisposable
{
    private readonly PreparedStatement _find = new(
        connection,
        "SELECT places, converted FROM combinations WHERE visitor = ?1 AND host_id = ?2"
    );
    private readonly PreparedStatement _keep = new(
        connection,
        """
        INSERT INTO combinations VALUES (?1, ?2, ?3, ?4)
        ON CONFLICT DO UPDATE SET places = excluded.places, converted = excluded.converted
        """
    );
    private readonly PreparedStatement _tally = new(
        connection,
        """
        INSERT INTO combination_tallies VALUES (?1, ?2, ?3, ?4) ON CONFLICT DO UPDATE
        SET visitors = visitors + excluded.visitors, conversions = conversions + excluded.conversions
        """
    );
    private readonly PreparedStatement _forget = new(
        connection,
        "DELETE FROM combination_tallies WHERE host_id = ?1 AND places = ?2 AND visitors = 0"
    );
    private readonly Dictionary<(long Host, string Places), (long Visitors, long Conversions)> _tallies = [];
    private readonly Dictionary<long, HashSet<string>> _counted = [];

    public void Clear() => _tallies.Clear();

    /// <summary>Everything is counted anew.</summary>
    public void Forget() => _counted.Clear();

    /// <summary>A visitor was drawn for a version of a section.</summary>
    /// <param name="host">The step on whose pages the section is.</param>
    public void Enrol(long host, long test, long page, Guid visitor)
    {
        var (places, converted) = Find(host, visitor);
        Count(host, places, -1, converted ? -1 : 0);
        foreach (var other in places)
            tests.Pair(First(other, new(test, page, false)), visitors: 1, conversions: 0);
        places.Add(new(test, page, HasConverted: false));
        places.Sort((one, other) => one.Test.CompareTo(other.Test));
        Keep(host, visitor, places, converted);
        Count(host, places, 1, converted ? 1 : 0);
    }

    /// <summary>A visitor reached the goal of a section's test.</summary>
    public void Convert(long host, long test, Guid visitor)
    {
        var (places, converted) = Find(host, visitor);
        var index = places.FindIndex(place => place.Test == test);
        if (index < 0 || places[index].HasConverted)
            return;
        var own = places[index] = places[index] with { HasConverted = true };
        // Of two sections the later one's conversion tells, as with two steps.
        foreach (var other in places)
            if (other.Test < own.Test)
                tests.Pair((other, own), visitors: 0, conversions: 1);
        Keep(host, visitor, places, true);
        if (!converted)
            Count(host, places, 0, 1);
    }

    public void Write()
    {
        foreach (var ((host, places), (visitors, conversions)) in _tallies)
        {
            // Visitors take their places one by one: what they had before the last of them is no combination.
            if ((visitors, conversions) == (0, 0) || !IsCounted(host, places))
                continue;
            _tally.Bind(1, host).Bind(2, places).Bind(3, visitors).Bind(4, conversions).Run();
            if (visitors < 0 && _forget.Bind(1, host).Bind(2, places).Run() > 0)
                _counted[host].Remove(places);
        }
    }

    public void Dispose()
    {
        foreach (var statement in (PreparedStatement[])[_find, _keep, _tally, _forget])
            statement.Dispose();
    }

    private static (SectionPlace, SectionPlace) First(SectionPlace one, SectionPlace other) =>
        one.Test < other.Test ? (one, other) : (other, one);

    private (List<SectionPlace> Places, bool HasConverted) Find(long host, Guid visitor)
    {
        if (!_find.Bind(1, visitor).Bind(2, host).Next())
            return ([], false);
        var (places, converted) = (Parse(_find.Text(0)!), _find.Number(1) != 0);
        _find.Reset();
        return (places, converted);
    }

    private void Keep(long host, Guid visitor, List<SectionPlace> places, bool converted) =>
        _keep.Bind(1, visitor).Bind(2, host).Bind(3, Format(places)).Bind(4, converted ? 1 : 0).Run();

    private void Count(long host, List<SectionPlace> places, long visitors, long conversions)
    {
        if (places.Count == 0)
            return;
        var combination = string.Join(' ', places.Select(place => $"{place.Test}:{place.Page}"));
        ref var tally = ref CollectionsMarshal.GetValueRefOrAddDefault(_tallies, (host, combination), out _);
        tally = (tally.Visitors + visitors, tally.Conversions + conversions);
    }

    private bool IsCounted(long host, string places)
    {
        if (!_counted.TryGetValue(host, out var counted))
            _counted[host] = counted = [
                .. connection.Rows(
                    "SELECT places FROM combination_tallies WHERE host_id = $1",
                    row => row.GetString(0),
                    host
                ),
            ];
        return counted.Contains(places) || (counted.Count < SectionsResult.MaxCombinations && counted.Add(places));
    }

    private static string Format(List<SectionPlace> places) =>
        string.Join(' ', places.Select(place => $"{place.Test}:{place.Page}{(place.HasConverted ? "+" : "")}"));

    private static List<SectionPlace> Parse(string text) =>
        [
            .. text.Split(' ')
                .Select(place =>
                {
                    var colon = place.IndexOf(':', StringComparison.Ordinal);
                    var page = place.AsSpan(colon + 1).TrimEnd('+');
                    return new SectionPlace(
                        long.Parse(place.AsSpan(0, colon), CultureInfo.InvariantCulture),
                        long.Parse(page, CultureInfo.InvariantCulture),
                        place[^1] == '+'
                    );
                }),
        ];
}
