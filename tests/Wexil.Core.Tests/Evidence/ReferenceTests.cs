using System.Globalization;
using Wexil.Core.Evidence;

namespace Wexil.Core.Tests.Evidence;

/// <summary>Every method against values computed by R (Reference/*.csv).</summary>
public sealed class ReferenceTests
{
    [Fact]
    public void Two_rates_match()
    {
        foreach (var row in Rows("two-proportions"))
        {
            var (a, b) = Arms(row);
            if (row["p_value"] != "NA") Near(row, "p_value", TwoRates.PooledP(a, b));
            Near(row, "wilson_a_low", WilsonInterval.Of(a).Low);
            Near(row, "wilson_a_high", WilsonInterval.Of(a).High);
            Near(row, "wilson_b_low", WilsonInterval.Of(b).Low);
            Near(row, "wilson_b_high", WilsonInterval.Of(b).High);
            Near(row, "newcombe_low", TwoRates.Difference(a, b).Low);
            Near(row, "newcombe_high", TwoRates.Difference(a, b).High);
            var lift = TwoRates.Lift(a, b);
            Assert.Equal(row["lift_low"] == "NA", lift is null);
            if (lift is not { } interval) continue;
            Near(row, "lift_low", interval.Low);
            Near(row, "lift_high", interval.High);
        }
    }

    [Fact]
    public void One_peek_safe_look_matches()
    {
        foreach (var row in Rows("peek-safe"))
        {
            var (a, b) = Arms(row);
            var look = PeekSafe.At(Phases.Difference([new(a, b)])!.Value, Number(row, "base_rate") * Number(row, "smallest_lift"));
            Near(row, "log_likelihood_ratio", look.LogLikelihoodRatio);
            Near(row, "p_value_one_look", look.P);
            Near(row, "low", look.Difference.Low);
            Near(row, "high", look.Difference.High);
        }
    }

    [Fact]
    public void Phases_combine_as_in_R()
    {
        foreach (var row in Rows("phases-cmh"))
        {
            var phases = row["phases"].Split('|').Select(Numbers)
                .Select(n => new PhasePair(new((long)n[0], (long)n[1]), new((long)n[2], (long)n[3]))).ToArray();
            Near(row, "cmh_chi2", Phases.Test(phases).ChiSquare);
            Near(row, "p_value", Phases.Test(phases).P);
            Near(row, "mh_risk_difference", Phases.Difference(phases)!.Value.Difference);
        }
    }

    [Fact]
    public void Several_sections_match()
    {
        foreach (var row in Rows("sections-logit"))
        {
            int[] levels = [.. Numbers(row["levels"]).Select(n => (int)n)];
            var cells = row["cells"].Split('|').Select(Numbers).Select(n => ((IReadOnlyList<int>)[.. n.Take(levels.Length).Select(v => (int)v)], new Arm((long)n[^2], (long)n[^1]))).ToArray();
            var effects = MainEffects.Fit(levels, cells)!.Effects;
            Assert.Equal(row["terms"].Split(';'), effects.Select(effect => $"s{effect.Section + 1}{effect.Version}"));
            foreach (var (column, value) in new (string, Func<Effect, double>)[] { ("log_odds", effect => effect.LogOdds), ("std_error", effect => effect.StandardError), ("p_value", effect => effect.P) })
                foreach (var (expected, effect) in Numbers(row[column]).Zip(effects)) Assert.Equal(expected, value(effect), 1e-5 * Math.Max(1e-5, Math.Abs(expected)));
        }
    }

    [Fact]
    public void A_pair_that_beats_its_parts_stands_out_and_parts_that_only_add_up_do_not()
    {
        static Arm Of(double rate) => new(4000, (long)(4000 * rate));
        Assert.Null(PairTable.Of([[Of(0.05), Of(0.06)], [Of(0.07), Of(0.083)]]).Standout);
        var better = PairTable.Of([[Of(0.05), Of(0.05)], [Of(0.05), Of(0.10)]]).Standout;
        Assert.Equal((1, 1), (better!.First, better.Second));
        Assert.True(better.Expected < 0.10);
        Assert.Null(PairTable.Of([[Of(0.05), default], [Of(0.05), Of(0.10)]]).Standout);
    }

    [Fact]
    public void Sample_ratio_matches()
    {
        foreach (var row in Rows("sample-ratio"))
        {
            var weights = Numbers(row["weights"]);
            var result = SampleRatio.Of([Numbers(row["observed"]).Select((n, i) => ((long)n, weights[i])).ToArray()]);
            Near(row, "chi2", result.ChiSquare);
            Near(row, "p_value", result.P);
            Assert.Equal((int)Number(row, "df"), result.DegreesOfFreedom);
        }
    }

    [Fact]
    public void Planner_matches()
    {
        foreach (var row in Rows("planner"))
            Near(row, "visitors_per_page", Planner.VisitorsPerPage(
                Number(row, "base_rate"), Number(row, "other_rate"), Number(row, "power"), Number(row, "alpha")));
    }

    [Fact]
    public void Chances_of_being_best_match()
    {
        foreach (var row in Rows("posterior-best"))
        {
            var conversions = Numbers(row["conversions"]);
            var pages = Numbers(row["visitors"]).Select((n, i) => new RateDensity(new((long)n, (long)conversions[i]))).ToArray();
            var chances = RateDensity.ChancesBest(pages);
            foreach (var (expected, got) in Numbers(row["chance_best"]).Zip(chances)) Assert.Equal(expected, got, 1e-5);
        }
        foreach (var row in Rows("posterior-two"))
        {
            var (a, b) = Arms(row);
            Assert.Equal(Number(row, "chance_b_beats_a"), RateDensity.ChancesBest([new(a), new(b)])[1], 1e-5);
        }
    }

    [Fact]
    public void Earned_per_visitor_matches()
    {
        foreach (var row in Rows("revenue-welch"))
        {
            var compared = Takings.Compare(Of("a"), Of("b"))!;
            Near(row, "difference", compared.Difference);
            Near(row, "t", compared.T);
            Near(row, "df", compared.Freedom);
            Near(row, "p_value", compared.P);
            Near(row, "low", compared.Interval.Low);
            Near(row, "high", compared.Interval.High);

            Takings Of(string page) => new((long)Number(row, "visitors_" + page), Number(row, "sum_" + page), Number(row, "sumsq_" + page));
        }
        Assert.Null(Takings.Compare(new(5, 0, 0), new(9, 0, 0)));
        Assert.Null(Takings.Compare(new(1, 50, 2500), new(9, 50, 2500)));
    }

    private static void Near(Dictionary<string, string> row, string column, double got)
    {
        var expected = Number(row, column);
        var allowed = Math.Max(1e-10, Math.Abs(expected) * 1e-8);
        Assert.True(Math.Abs(expected - got) <= allowed, $"{column}: {got:R} instead of {expected:R} in {string.Join(',', row.Values)}");
    }

    private static (Arm A, Arm B) Arms(Dictionary<string, string> row) => (
        new((long)Number(row, "visitors_a"), (long)Number(row, "conversions_a")),
        new((long)Number(row, "visitors_b"), (long)Number(row, "conversions_b")));

    private static double Number(Dictionary<string, string> row, string column) => double.Parse(row[column], CultureInfo.InvariantCulture);

    private static double[] Numbers(string cell) => [.. cell.Split(';').Select(n => double.Parse(n, CultureInfo.InvariantCulture))];

    private static IEnumerable<Dictionary<string, string>> Rows(string name)
    {
        var lines = File.ReadAllLines(Path.Combine(AppContext.BaseDirectory, "Reference", name + ".csv"));
        var columns = lines[0].Split(',');
        Assert.True(lines.Length > 10, "the reference file has cases");
        return lines.Skip(1).Select(line => columns.Zip(line.Split(',')).ToDictionary(cell => cell.First, cell => cell.Second));
    }
}
