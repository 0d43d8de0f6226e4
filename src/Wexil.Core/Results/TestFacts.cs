using Wexil.Core.Common;
using Wexil.Core.Statistics;

namespace Wexil.Core.Results;

/// <summary>A page as it takes part in a test.</summary>
public sealed record TestPage(PageId Id, string Letter, string Name);

/// <summary>
/// What a phase saw: the weights it ran with and, in the order of the test's pages, what each page had.
/// </summary>
public sealed record PhaseFacts(IReadOnlyList<int> Weights, IReadOnlyList<Arm> Arms);

/// <summary>Visitors who came to the test since anyone last converted.</summary>
public sealed record ConversionGap(long Visitors, DateTimeOffset Since);

/// <summary>All that a verdict rests on.</summary>
/// <param name="Control">Index of the control among the pages.</param>
/// <param name="BaseRate">The rate expected of the control when the test started, above 0.</param>
/// <param name="SmallestLift">The smallest lift worth finding, as a share of the base rate, above 0.</param>
/// <param name="Words">What a conversion is called, in the plural and the singular.</param>
/// <param name="VisitorsPerDay">New visitors a day lately; 0 when not known.</param>
public sealed record TestFacts(
    IReadOnlyList<TestPage> Pages,
    int Control,
    IReadOnlyList<PhaseFacts> Phases,
    double BaseRate,
    double SmallestLift,
    double VisitorsPerDay,
    ConversionGap? Gap,
    (string Many, string One) Words
)
{
    /// <summary>The accepted chance of a false call.</summary>
    public double Alpha { get; init; } = TestResult.Alpha;

    /// <summary>
    /// In which shares visitors come from now on, in percent, where the last phase does not say it; null for its
    /// weights.
    /// </summary>
    public IReadOnlyList<int>? Coming { get; init; }

    /// <summary>In which shares visitors come from now on, in percent.</summary>
    public IReadOnlyList<int> WeightsAhead => Coming ?? Phases[^1].Weights;

    /// <summary>What the test was planned for; null for a test that began before tests had a plan.</summary>
    public SamplingPlan? Plan { get; init; }

    /// <summary>
    /// The drift that its plan is made for; null for a test that began before plans went by it, or without one.
    /// </summary>
    public double? Drift { get; init; }

    /// <summary>What earlier looks were sure of, by page; empty for none.</summary>
    public IReadOnlyList<PastLooks> Past { get; init; } = [];

    /// <summary>
    /// How sure earlier looks were of the versions of the other sections on the same page: p's that hold however often
    /// one looks, adjusted together with this test's. Empty for a test of whole pages.
    /// </summary>
    public IReadOnlyList<double> Beside { get; init; } = [];
}
