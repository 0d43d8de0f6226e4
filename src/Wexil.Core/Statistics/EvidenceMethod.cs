using System.Globalization;

namespace Wexil.Core.Statistics;

/// <summary>A figure of a method, or a list of them; NaN where it is not defined.</summary>
public readonly record struct Figure(string Name, IReadOnlyList<object> Values, bool IsList)
{
    /// <summary>A figure that is one number; null where it cannot be computed.</summary>
    public static Figure One(string name, double? value) => new(name, [value ?? double.NaN], false);

    /// <summary>A figure that is several, in order.</summary>
    public static Figure Many<T>(string name, IEnumerable<T> values)
        where T : notnull => new(name, [.. values.Cast<object>()], true);
}

/// <summary>
/// The methods for numbers from anywhere: a name, the columns that are given, and what is computed from them. Lists
/// inside a cell are joined by semicolons, groups by bars.
/// </summary>
/// <param name="Compute">Takes the given cells by name. Throws <see cref="FormatException"/> with what is wrong, in
/// words.</param>
public sealed record EvidenceMethod(
    string Name,
    IReadOnlyList<string> Given,
    Func<IReadOnlyDictionary<string, string>, IReadOnlyList<Figure>> Compute
)
{
    private const double PlanAlpha = 0.05;
    private const int MaxChallengers = 1000;

    private static readonly string[] TwoArms = ["visitors_a", "conversions_a", "visitors_b", "conversions_b"];

    /// <summary>All methods, in the order in which they are listed.</summary>
    public static IReadOnlyList<EvidenceMethod> All { get; } =
    [
        new("two-proportions", TwoArms, TwoProportions),
        new("posterior-two", TwoArms, PosteriorTwo),
        new("posterior-best", ["visitors", "conversions"], row =>
            [
                Figure.Many(
                    "chance_best",
                    RatePosterior.Compare([.. Arms(row).Select(arm => new RatePosterior(arm))]).Chances
                ),
            ]
        ),
        new("planner", ["base_rate", "other_rate", "power", "alpha"], Plan),
        new("revenue-welch", ["visitors_a", "sum_a", "sumsq_a", "visitors_b", "sum_b", "sumsq_b"], Welch),
        new("sample-ratio", ["observed", "weights"], Ratio),
        new("phases-cmh", ["phases"], Cmh),
        new("peek-safe", [.. TwoArms, "base_rate", "smallest_lift"], Peek),
        new("planned-size", ["power", "alpha", "challengers"], Size),
        new("planned", ["phases", "base_rate", "smallest_lift", "plan_over"], Planned),
        new("sections-logit", ["levels", "cells"], Sections),
    ];

    /// <summary>Null where there is none of the name.</summary>
    public static EvidenceMethod? Find(string name) => All.FirstOrDefault(method => method.Name == name);

    private static IReadOnlyList<Figure> TwoProportions(IReadOnlyDictionary<string, string> row)
    {
        var (a, b) = Pair(row);
        var (wilsonA, wilsonB, newcombe, lift) = (
            WilsonInterval.Compute(a),
            WilsonInterval.Compute(b),
            TwoRates.Difference(a, b),
            TwoRates.Lift(a, b)
        );
        var isSettled = a.Conversions + b.Conversions > 0 && a.Conversions + b.Conversions < a.Visitors + b.Visitors;
        return
        [
            Figure.One("p_value", isSettled ? TwoRates.PooledP(a, b) : null),
            Figure.One("wilson_a_low", wilsonA.Low),
            Figure.One("wilson_a_high", wilsonA.High),
            Figure.One("wilson_b_low", wilsonB.Low),
            Figure.One("wilson_b_high", wilsonB.High),
            Figure.One("difference", b.Rate - a.Rate),
            Figure.One("newcombe_low", newcombe.Low),
            Figure.One("newcombe_high", newcombe.High),
            Figure.One("lift", a.Conversions == 0 ? null : b.Rate / a.Rate - 1),
            Figure.One("lift_low", lift?.Low),
            Figure.One("lift_high", lift?.High),
        ];
    }

    private static IReadOnlyList<Figure> PosteriorTwo(IReadOnlyDictionary<string, string> row)
    {
        var (a, b) = Pair(row);
        var (chances, losses) = RatePosterior.Compare([new(a), new(b)]);
        return
        [
            Figure.One("chance_b_beats_a", chances[1]),
            Figure.One("loss_if_keep_b", losses[1]),
            Figure.One("loss_if_keep_a", losses[0]),
        ];
    }

    private static IReadOnlyList<Figure> Plan(IReadOnlyDictionary<string, string> row)
    {
        var (one, other, power, alpha) = (
            Share(row, "base_rate"),
            Share(row, "other_rate"),
            Share(row, "power"),
            Share(row, "alpha")
        );
        return [Figure.One("visitors_per_page", Planner.VisitorsPerPage(one, other, power, alpha))];
    }

    private static IReadOnlyList<Figure> Size(IReadOnlyDictionary<string, string> row)
    {
        var (power, alpha, challengers) = (Share(row, "power"), Share(row, "alpha"), Count(row["challengers"]));
        if (challengers is < 1 or > MaxChallengers)
            throw new FormatException($"challengers lies between 1 and {MaxChallengers}");
        var (boundary, drift) = (
            PlannedSize.Boundary(alpha, (int)challengers),
            PlannedSize.Drift(power, alpha, (int)challengers)
        );
        return
        [
            Figure.One("boundary", boundary),
            Figure.One("drift", drift),
            Figure.One("factor", PlannedSize.Factor(power, alpha, (int)challengers)),
        ];
    }

    private static double Share(IReadOnlyDictionary<string, string> row, string column) =>
        Number(row[column]) is > 0 and < 1 and var share
            ? share
            : throw new FormatException($"{column} lies between 0 and 1");

    private static IReadOnlyList<Figure> Welch(IReadOnlyDictionary<string, string> row)
    {
        RevenueSample Of(string page) =>
            new(Count(row["visitors_" + page]), Number(row["sum_" + page]), Number(row["sumsq_" + page]));
        var welch = RevenueSample.Compare(Of("a"), Of("b"));
        return
        [
            Figure.One("difference", welch?.Difference),
            Figure.One("t", welch?.T),
            Figure.One("df", welch?.Freedom),
            Figure.One("p_value", welch?.P),
            Figure.One("low", welch?.Interval.Low),
            Figure.One("high", welch?.Interval.High),
        ];
    }

    private static IReadOnlyList<Figure> Ratio(IReadOnlyDictionary<string, string> row)
    {
        var (observed, weights) = (Counts(row["observed"]), Numbers(row["weights"]));
        if (observed.Length != weights.Length)
            throw new FormatException("observed and weights need as many values");
        if (weights.Any(weight => weight < 0))
            throw new FormatException("a weight is not below 0");
        var (chiSquare, degrees, p) = SampleRatioMismatch.Compute([
            [.. observed.Zip(weights)],
        ]);
        return [Figure.One("chi2", chiSquare), Figure.One("df", degrees), Figure.One("p_value", p)];
    }

    private static IReadOnlyList<Figure> Cmh(IReadOnlyDictionary<string, string> row)
    {
        var phases = PhasesOf(row);
        var (chiSquare, p) = Phases.Test(phases);
        return
        [
            Figure.One("cmh_chi2", chiSquare),
            Figure.One("p_value", p),
            Figure.One("odds_ratio", Phases.OddsRatio(phases)),
            Figure.One("mh_risk_difference", Phases.Difference(phases)?.Difference),
        ];
    }

    private static IReadOnlyList<Figure> Peek(IReadOnlyDictionary<string, string> row)
    {
        var (a, b) = Pair(row);
        var tau = Number(row["base_rate"]) * Number(row["smallest_lift"]);
        if (!(tau > 0))
            throw new FormatException("base_rate and smallest_lift are above 0");
        if (Phases.Difference([new(a, b)]) is not { } estimate)
            throw new FormatException("both pages need visitors");
        var look = AlwaysValidTest.At(estimate, tau);
        return
        [
            Figure.One("log_likelihood_ratio", look.LogLikelihoodRatio),
            Figure.One("p_value_one_look", look.P),
            Figure.One("low", look.Difference.Low),
            Figure.One("high", look.Difference.High),
        ];
    }

    private static IReadOnlyList<Figure> Planned(IReadOnlyDictionary<string, string> row)
    {
        var (baseRate, lift) = (Number(row["base_rate"]), Number(row["smallest_lift"]));
        if (!(baseRate is > 0 and < 1 && lift > 0))
            throw new FormatException("base_rate lies between 0 and 1, and smallest_lift is above 0");
        if (Phases.Difference(PhasesOf(row)) is not { } estimate)
            throw new FormatException("both pages need visitors");
        var plan = SamplingPlan.ForRates(baseRate, baseRate * lift, PlannedSize.FormerDrift(pages: 2));
        // What its last look saw is not among the numbers given.
        PlanEnd? end = Count(row["plan_over"]) == 0 ? null : new(0, double.PositiveInfinity);
        var look = PlannedTest.At(estimate, baseRate * lift, plan, PlanAlpha, end);
        return
        [
            Figure.One("planned_weight", plan.Weight),
            Figure.One("difference", estimate.Difference),
            Figure.One("variance", estimate.Variance),
            Figure.One("progress", look.Progress),
            Figure.One("p_planned", look.Planned),
            Figure.One("p_open", look.Open),
            Figure.One("p_value", look.P),
            Figure.One("low", look.Difference.Low),
            Figure.One("high", look.Difference.High),
        ];
    }

    private static PhasePair[] PhasesOf(IReadOnlyDictionary<string, string> row) =>
        [
            .. row["phases"]
                .Split('|')
                .Select(phase =>
                    Counts(phase) is [var na, var xa, var nb, var xb]
                        ? new PhasePair(ArmOf(na, xa), ArmOf(nb, xb))
                        : throw new FormatException("a phase is visitors_a;conversions_a;visitors_b;conversions_b")
                ),
        ];

    private static IReadOnlyList<Figure> Sections(IReadOnlyDictionary<string, string> row)
    {
        int[] levels = [.. Counts(row["levels"]).Select(count => (int)count)];
        if (levels.Length == 0 || levels.Any(level => level < 2))
            throw new FormatException("each section has two versions or more");
        var cells = row["cells"]
            .Split('|')
            .Select(cell =>
            {
                var numbers = Counts(cell);
                if (
                    numbers.Length != levels.Length + 2
                    || numbers.Take(levels.Length).Where((version, section) => version >= levels[section]).Any()
                )
                    throw new FormatException(
                        "a cell is a version a section, counted from 0, then visitors and conversions"
                    );
                return (
                    (IReadOnlyList<int>)[.. numbers.Take(levels.Length).Select(version => (int)version)],
                    ArmOf(numbers[^2], numbers[^1])
                );
            })
            .ToArray();
        var effects = LogisticRegression.Fit(levels, cells)?.Effects
            ?? throw new FormatException("the cells do not settle the effects");
        return
        [
            Figure.Many("terms", effects.Select(effect => $"s{effect.Section + 1}{effect.Version}")),
            Figure.Many("log_odds", effects.Select(effect => effect.LogOdds)),
            Figure.Many("std_error", effects.Select(effect => effect.StandardError)),
            Figure.Many("p_value", effects.Select(effect => effect.P)),
        ];
    }

    private static (Arm A, Arm B) Pair(IReadOnlyDictionary<string, string> row) =>
        (
            ArmOf(Count(row["visitors_a"]), Count(row["conversions_a"])),
            ArmOf(Count(row["visitors_b"]), Count(row["conversions_b"]))
        );

    private static IEnumerable<Arm> Arms(IReadOnlyDictionary<string, string> row)
    {
        var (visitors, conversions) = (Counts(row["visitors"]), Counts(row["conversions"]));
        if (visitors.Length != conversions.Length || visitors.Length < 2)
            throw new FormatException("visitors and conversions need as many values, two or more");
        return visitors.Zip(conversions, ArmOf);
    }

    private static Arm ArmOf(long visitors, long conversions) =>
        visitors < 1 ? throw new FormatException("a page needs a visitor")
        : conversions > visitors ? throw new FormatException($"{conversions} conversions of {visitors} visitors")
        : new(visitors, conversions);

    private static long[] Counts(string cell) => [.. cell.Split(';').Select(Count)];

    private static double[] Numbers(string cell) => [.. cell.Split(';').Select(Number)];

    private static long Count(string text) =>
        long.TryParse(text.Trim(), NumberStyles.None, CultureInfo.InvariantCulture, out var count)
            ? count
            : throw new FormatException($"“{text}” is no count");

    private static double Number(string text) =>
        double.TryParse(text.Trim(), NumberStyles.Float, CultureInfo.InvariantCulture, out var number)
        && double.IsFinite(number)
            ? number
            : throw new FormatException($"“{text}” is no number");
}
