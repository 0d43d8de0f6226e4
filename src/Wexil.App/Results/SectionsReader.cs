using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Store;

namespace Wexil.App.Results;

/// <summary>The sections of a step's pages that are being tested, each by itself and put together.</summary>
/// <param name="Together">Null while fewer than two are tested.</param>
public sealed record SectionsReading(IReadOnlyList<TestReading> Sections, SectionsResult? Together);

/// <summary>Reads the tests of the sections on a step's pages.</summary>
public sealed class SectionsReader(TestStore tests, TestReader reader, TallyStore tallies, ExcludedPairStore excluded)
{
    /// <param name="host">The step on whose pages they are.</param>
    /// <param name="steps">Those of its funnel.</param>
    /// <param name="sections">Those on the step's pages.</param>
    public SectionsReading Read(Step host, IReadOnlyList<Step> steps, IReadOnlyList<Step> sections)
    {
        var open = Open(steps, sections);
        return new(open, open.Count < 2 ? null : Together(host, open));
    }

    /// <summary>Each section that is being tested, by itself.</summary>
    /// <param name="steps">Those of its funnel.</param>
    /// <param name="sections">Those on the step's pages.</param>
    public IReadOnlyList<TestReading> Open(IReadOnlyList<Step> steps, IReadOnlyList<Step> sections) =>
        [
            .. sections
                .Select(section => tests.ForStep(section.Id) is [{ IsOpen: true } test, ..] ? test : null)
                .OfType<SplitTest>()
                .Select(test => reader.Read(test, [.. steps, .. sections])),
        ];

    private SectionsResult Together(Step host, IReadOnlyList<TestReading> sections)
    {
        Dictionary<PageId, int>[] places =
        [
            .. sections.Select(section => section.Test.Pages.Select((page, i) => (page, i)).ToDictionary()),
        ];
        CombinationArm? Placed(CombinationTally tally)
        {
            var versions = new int[sections.Count];
            for (var i = 0; i < sections.Count; i++)
            {
                // Visitors who came while only some of them ran tell nothing of the whole.
                if (
                    !tally.Versions.TryGetValue(sections[i].Test.Id, out var page)
                    || !places[i].TryGetValue(page, out versions[i])
                )
                    return null;
            }
            return new(versions, tally.Arm);
        }
        return SectionsResult.From(
            [.. sections.Select(section => section.Result)],
            [.. tallies.Combinations(host.Id).Select(Placed).OfType<CombinationArm>()],
            PairsOf(sections),
            Excluded(host, places)
        );
    }

    private Func<(int Section, int Version), (int Section, int Version), Arm> PairsOf(
        IReadOnlyList<TestReading> sections
    )
    {
        var pairs = sections
            .SelectMany(section => tallies.Pairs(section.Test.Id))
            .DistinctBy(pair => (pair.First, pair.Second))
            .SelectMany(pair =>
                pair.Cells.Select(cell => ((pair.First, cell.First, pair.Second, cell.Second), cell.Arm))
            )
            .ToDictionary();
        Arm PairOf((int Section, int Version) one, (int Section, int Version) other)
        {
            var (a, b) = (sections[one.Section].Test, sections[other.Section].Test);
            var (first, second) = (a.Pages[one.Version], b.Pages[other.Version]);
            return a.Id.Value < b.Id.Value
                ? pairs.GetValueOrDefault((a.Id, first, b.Id, second))
                : pairs.GetValueOrDefault((b.Id, second, a.Id, first));
        }
        return PairOf;
    }

    private ExcludedPair[] Excluded(Step host, Dictionary<PageId, int>[] places)
    {
        (int Section, int Version)? Find(PageId version)
        {
            for (var i = 0; i < places.Length; i++)
                if (places[i].TryGetValue(version, out var place) && place > 0)
                    return (i, place);
            return null;
        }
        return
        [
            .. from pair in excluded.On(host.Id)
            let one = Find(pair.One)
            let other = Find(pair.Other)
            where one is not null && other is not null
            select new ExcludedPair(one.Value, other.Value),
        ];
    }
}
