using CsCheck;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Tests;

namespace Wexil.Core.Tests.Assignments;

/// <summary>Sections whose versions do not all go together.</summary>
public sealed class CombinationTests
{
    // Version 0 is what a section falls back to, and goes with everything.
    private static readonly Gen<((int, int) One, (int, int) Other)> Pair =
        from one in Gen.Int[0, 2]
        from other in Gen.Int[0, 2].Where(other => other != one)
        from first in Gen.Int[1, 2]
        from second in Gen.Int[1, 2]
        select ((one, first), (other, second));

    /// <summary>
    /// Every draw of three sections of three versions once: with even weights that is what chance does.
    /// </summary>
    [Fact]
    public void Nobody_sees_an_excluded_pair_and_whoever_counts_is_compared_alike() =>
        Pair.Array[0, 6]
            .AlwaysHolds(pairs =>
            {
                var sections = Sections(pairs);
                var counted = new Dictionary<(int Section, int Version), List<string>>();
                foreach (var draw in Draws())
                {
                    var settled = Settle(sections, draw);
                    var shown = settled.Select((one, i) => Version(sections[i], one.Page)).ToArray();
                    foreach (var (one, other) in pairs)
                        Assert.False(shown[one.Item1] == one.Item2 && shown[other.Item1] == other.Item2);
                    for (var i = 0; i < 3; i++)
                    {
                        if (settled[i].Kind != AssignmentKind.Enrols)
                        {
                            Assert.Equal(ExclusionReason.Combination, settled[i].Exclusion);
                            continue;
                        }
                        Assert.Equal(draw[i], shown[i]);
                        if (!counted.TryGetValue((i, draw[i]), out var others))
                            counted[(i, draw[i])] = others = [];
                        others.Add(string.Join(' ', shown.Where((_, section) => section != i)));
                    }
                }
                // Each version is counted as often as the others of its section, beside the same.
                foreach (var (section, version) in counted.Keys)
                    Assert.Equal(counted[(section, 0)].Order(), counted[(section, version)].Order());
            });

    [Fact]
    public void Without_excluded_pairs_everybody_counts_everywhere() =>
        Assert.All(Draws(), draw =>
            Assert.All(Settle(Sections([]), draw), one => Assert.Equal(AssignmentKind.Enrols, one.Kind))
        );

    [Fact]
    public void A_version_that_nobody_is_drawn_for_leaves_the_others_counting()
    {
        var pair = ((1, 1), (0, 2));
        var sections = Sections([pair]);
        var weighted = sections[0] with { Test = sections[0].Test! with { Weights = Weights.Create(50, 50, 0) } };
        Assert.Equal(AssignmentKind.Apart, Settle(sections, [0, 1, 0])[0].Kind);
        Assert.Equal(AssignmentKind.Enrols, Settle([weighted, sections[1], sections[2]], [0, 1, 0])[0].Kind);
    }

    private static IEnumerable<int[]> Draws() =>
        from a in Enumerable.Range(0, 3)
        from b in Enumerable.Range(0, 3)
        from c in Enumerable.Range(0, 3)
        select new[] { a, b, c };

    private static Assignment[] Settle(RouteStep[] sections, int[] draw)
    {
        Assignment Drawn(int i) => new(sections[i].Test!.Pages[draw[i]], AssignmentKind.Enrols, AssignmentReason.Drawn);
        return
        [
            .. sections.Select(
                (section, i) =>
                    Combination.Settle(
                        section,
                        Drawn(i),
                        [.. Enumerable.Range(0, 3).Where(other => other != i).Select(other => Drawn(other).Page.Id)]
                    )
            ),
        ];
    }

    private static int Version(RouteStep section, RoutePage page) => section.Test!.Pages.ToList().IndexOf(page);

    private static PageId Id(int section, int version) => new(10 * (section + 1) + version);

    private static RouteStep[] Sections(((int, int) One, (int, int) Other)[] pairs)
    {
        var excluded = pairs
            .SelectMany(pair => new[] { pair, (One: pair.Other, Other: pair.One) })
            .GroupBy(pair => Id(pair.One.Item1, pair.One.Item2), pair => Id(pair.Other.Item1, pair.Other.Item2))
            .ToDictionary(group => group.Key, group => (IReadOnlySet<PageId>)group.ToHashSet());
        RouteStep Section(int section)
        {
            var id = new StepId(section + 1);
            RoutePage[] pages =
            [
                .. Enumerable.Range(0, 3).Select(version => new RoutePage(Id(section, version), id, "", 1, null)),
            ];
            return new(id, $"s{section}", pages[0], new(new(section + 1), new(1), pages, Weights.Even(3), 0), null)
            {
                Host = new(99),
                Excluded = excluded,
            };
        }
        return [Section(0), Section(1), Section(2)];
    }
}
