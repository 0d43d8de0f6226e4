using Wexil.Core.Statistics;

namespace Wexil.Core.Results;

/// <summary>What the visitors of one combination of versions did.</summary>
/// <param name="Versions">The version of each section, counted from 0.</param>
public sealed record CombinationArm(IReadOnlyList<int> Versions, Arm Arm);

/// <summary>Versions of two sections that are never shown together.</summary>
/// <param name="One">Section and version, counted from 0.</param>
/// <param name="Other">Those of the other.</param>
public readonly record struct ExcludedPair((int Section, int Version) One, (int Section, int Version) Other);

/// <summary>Two sections whose versions work differently together than apart.</summary>
/// <param name="First">A section, counted from 0.</param>
/// <param name="Second">Another.</param>
/// <param name="Pair">The pair of versions that stands out.</param>
public sealed record SectionInteraction(int First, int Second, PairResult Pair);

/// <summary>What a version adds, the other sections being alike.</summary>
/// <param name="Size">A log odds ratio, or a difference of rates.</param>
/// <param name="StandardError">Of the size.</param>
/// <param name="P">Two-sided, 0 to 1; of a single look.</param>
public sealed record VersionEffect(int Section, int Version, double Size, double StandardError, double P);

/// <summary>Several sections of one page, tested at the same time, put together.</summary>
/// <param name="Best">The version of each section that did best, counted from 0.</param>
/// <param name="FirstRate">What the first versions together are expected to do; null while nothing settles it.</param>
/// <param name="BestRate">What the best versions together are expected to do, by the parts; null likewise.</param>
/// <param name="Seen">What the visitors did who saw just the best versions.</param>
/// <param name="Effects">By version; empty while nothing settles them.</param>
/// <param name="IsByOdds">The effects are log odds ratios by the combinations, and not differences of rates by the
/// pairs.</param>
/// <param name="Interactions">Pairs of versions that do better together than their parts suggest.</param>
public sealed record SectionsResult(
    IReadOnlyList<int> Best,
    double? FirstRate,
    double? BestRate,
    Arm Seen,
    IReadOnlyList<VersionEffect> Effects,
    bool IsByOdds,
    IReadOnlyList<SectionInteraction> Interactions
)
{
    /// <summary>More combinations than this are not counted one by one.</summary>
    public const int MaxCombinations = 1024;

    /// <summary>
    /// Puts sections together: by logistic regression over the combinations, or by the versions' and pairs' counts
    /// where there are more combinations than are counted.
    /// </summary>
    /// <param name="sections">Each section's own result; two sections or more.</param>
    /// <param name="combinations">Those seen.</param>
    /// <param name="pair">What the visitors of a version of one section and one of another did.</param>
    /// <param name="excluded">The pairs that are never shown, in any order; null for none. No first version is in
    /// one.</param>
    public static SectionsResult From(
        IReadOnlyList<TestResult> sections,
        IReadOnlyList<CombinationArm> combinations,
        Func<(int Section, int Version), (int Section, int Version), Arm> pair,
        IReadOnlyList<ExcludedPair>? excluded = null
    )
    {
        var best = BestOf(sections, excluded ?? []);
        var seen = combinations
            .Where(combination => combination.Versions.SequenceEqual(best))
            .Aggregate(new Arm(), (sum, combination) => sum + combination.Arm);
        var isCounted = combinations.Count < MaxCombinations;
        var expected = isCounted ? ByOdds(sections, combinations) : ByPairs(sections, pair, excluded is { Count: > 0 });
        return new(
            best,
            expected?.RateOf(new int[sections.Count]),
            expected?.RateOf(best),
            seen,
            expected?.Effects ?? [],
            isCounted,
            FindInteractions(sections, pair)
        );
    }

    /// <summary>What the parts suggest, by either model.</summary>
    private sealed record Expected(Func<IReadOnlyList<int>, double> RateOf, IReadOnlyList<VersionEffect> Effects);

    private static int[] BestOf(IReadOnlyList<TestResult> sections, IReadOnlyList<ExcludedPair> excluded)
    {
        double RateOf((int Section, int Version) of) => sections[of.Section].Pages[of.Version].Standard.Rate;
        double LostBy((int Section, int Version) of) => RateOf(of) - RateOf((of.Section, 0));
        // Of versions that did alike the first one is kept.
        int[] best =
        [
            .. sections.Select(
                (section, i) => Enumerable.Range(0, section.Pages.Count).MaxBy(version => RateOf((i, version)))
            ),
        ];
        // Of two that do not go together the one gives way that brings less more than its section's first version.
        foreach (var (one, other) in excluded)
            if (best[one.Section] == one.Version && best[other.Section] == other.Version)
                best[(LostBy(one) < LostBy(other) ? one : other).Section] = 0;
        return best;
    }

    private static Expected? ByOdds(IReadOnlyList<TestResult> sections, IReadOnlyList<CombinationArm> combinations) =>
        LogisticRegression.Fit(
            [.. sections.Select(section => section.Pages.Count)],
            [.. combinations.Where(seen => seen.Arm.Visitors > 0).Select(seen => (seen.Versions, seen.Arm))]
        )
            is { } fit
            ? new(
                fit.RateOf,
                [.. fit.Effects.Select(e => new VersionEffect(e.Section, e.Version, e.LogOdds, e.StandardError, e.P))]
            )
            : null;

    private static Expected? ByPairs(
        IReadOnlyList<TestResult> sections,
        Func<(int Section, int Version), (int Section, int Version), Arm> pair,
        bool hasExcluded
    )
    {
        // Where pairs are excluded, some who are drawn count in no test by itself.
        Arm ArmOf(int section, int version) =>
            hasExcluded
                ? Enumerable
                    .Range(0, sections[section == 0 ? 1 : 0].Pages.Count)
                    .Select(other => pair((section, version), (section == 0 ? 1 : 0, other)))
                    .Aggregate(new Arm(), (sum, arm) => sum + arm)
                : sections[section].Pages[version].Total;
        return
            LinearProbabilityModel.Fit(
                [
                    .. sections.Select(
                        (section, i) => (IReadOnlyList<Arm>)[.. section.Pages.Select((_, version) => ArmOf(i, version))]
                    ),
                ],
                (one, other) => pair(one, other).Visitors
            )
                is { } fit
            ? new(
                fit.RateOf,
                [
                    .. fit.Effects.Select(e => new VersionEffect(
                        e.Section,
                        e.Version,
                        e.Difference,
                        e.StandardError,
                        e.P
                    )),
                ]
            )
            : null;
    }

    private static SectionInteraction[] FindInteractions(
        IReadOnlyList<TestResult> sections,
        Func<(int Section, int Version), (int Section, int Version), Arm> pair
    )
    {
        IReadOnlyList<Arm> Row(int first, int version, int second) =>
            [.. sections[second].Pages.Select((_, other) => pair((first, version), (second, other)))];
        PairResult? Standout(int first, int second) =>
            InteractionTable
                .From([.. sections[first].Pages.Select((_, version) => Row(first, version, second))])
                .Standout;
        return
        [
            .. from first in Enumerable.Range(0, sections.Count)
            from second in Enumerable.Range(first + 1, sections.Count - first - 1)
            let standout = Standout(first, second)
            where standout is not null
            select new SectionInteraction(first, second, standout),
        ];
    }
}
