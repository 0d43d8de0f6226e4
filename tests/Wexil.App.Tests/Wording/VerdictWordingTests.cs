using Wexil.App.Wording;
using Wexil.Core.Results;
using static Wexil.Tests.OnePhase;

namespace Wexil.App.Tests.Wording;

/// <summary>What a verdict is called, and why.</summary>
public sealed class VerdictWordingTests
{
    private static readonly TestFacts Three = Facts([new(5000, 500), new(5000, 650), new(5000, 480)]);
    private static readonly TestPage A = Three.Pages[0],
        B = Three.Pages[1];
    private static readonly Forecast Soon = new(400, 2400, 400),
        IfItHolds = new(2400, 2400, 400) { IfLeadHolds = true };

    public static TheoryData<Verdict, string, string, string> Verdicts =>
        new()
        {
            { new Verdict.Waiting(), "Waiting", "No visitors yet.", "Put the step’s link in an ad" },
            { new Verdict.SplitMismatch(), "Problem", "Visitors are not split as you set.", "Fix that first" },
            {
                new Verdict.ConversionsStopped(1210, 0.15),
                "Problem",
                "1,210 visitors in a row without one opt-in.",
                "Before, 15% of the visitors converted."
            },
            {
                new Verdict.FewLargeOrders(B, 1, 0.34),
                "Problem",
                "One buyer brought 34% of B’s revenue.",
                "Wait for more orders, or decide by opt-ins."
            },
            {
                new Verdict.FewLargeOrders(B, 3, 0.55),
                "Problem",
                "Three buyers brought 55% of B’s revenue.",
                "Wait for more orders, or decide by opt-ins."
            },
            {
                new Verdict.TooFewBuyers(19.8),
                "Too early",
                "Too few orders to compare revenue yet.",
                "as steady as that of 25 equal orders; the least steady is as that of 19."
            },
            {
                new Verdict.Better(B, A, 0.3, false),
                "Ready",
                "Keep B. It got 30% more opt-ins than A.",
                "fewer than 1 in 20 tests end in a wrong call, however often you check."
            },
            {
                new Verdict.Better(B, A, 78, true),
                "Ready",
                "Keep B. It earned $0.78 more per visitor than A.",
                "fewer than 1 in 20 tests end in a wrong call, however often you check."
            },
            {
                new Verdict.ControlBest(A, 1, false),
                "Ready",
                "Keep A. No other one does better.",
                "The other one got fewer, by more than chance would explain."
            },
            {
                new Verdict.ControlBest(A, 2, false),
                "Ready",
                "Keep A. No other one does better.",
                "All others got fewer, by more than chance would explain."
            },
            {
                new Verdict.ControlBest(A, 2, true),
                "Ready",
                "Keep A. No other one earns more.",
                "All others earned less, by more than chance would explain."
            },
            {
                new Verdict.NoDifference(A, 0.2, false),
                "Ready",
                "No difference that matters: keep A.",
                "is smaller than ±20%, the smallest lift worth finding."
            },
            {
                new Verdict.NoDifference(A, 40, true),
                "Ready",
                "No difference that matters: keep A.",
                "is smaller than ±$0.40 per visitor."
            },
            {
                new Verdict.TooFewConversions(20, Soon),
                "Too early",
                "Too few opt-ins to tell yet.",
                "Each needs at least 25; the lowest has 20. About 400 to 2,400 more visitors"
            },
            {
                new Verdict.Undecided(B, A, Soon, false),
                "Too early",
                "B is ahead of A, but not by enough to be sure.",
                "About 400 to 2,400 more visitors should decide it: 1 to 6 days at the traffic of the last 7 days."
            },
            {
                new Verdict.Undecided(A, A, IfItHolds, false),
                "Too early",
                "A, the control, is ahead, but not by enough to be sure.",
                "If the lead holds, about 2,400 more visitors should decide it: 6 days at"
            },
            {
                new Verdict.Undecided(B, A, Soon, true),
                "Too early",
                "B earns more than A so far, but not by enough to be sure.",
                "About 400 to 2,400 more"
            },
            {
                new Verdict.Undecided(A, A, null, true),
                "Too early",
                "A, the control, earns most so far, but not by enough to be sure.",
                "Nothing can be compared while the control, or every other one, gets no visitors."
            },
            {
                new Verdict.PlanOver(B, A, 0.2, IfItHolds, B, IsClose: true, IsByMoney: false),
                "Too early",
                "All planned visitors have come. Close: B is likelier to be better.",
                "would have shown in 4 of 5 such tests. Keep A, plan a new test, or go on: if the lead holds, about"
            },
            {
                new Verdict.PlanOver(B, A, 0.2, IfItHolds, B, IsClose: false, IsByMoney: false),
                "Too early",
                "All planned visitors have come, and no page is surely better.",
                "Keep A, plan a new test, or go on"
            },
            {
                new Verdict.Better(B, A, 0.3, false) { Unsettled = (Three.Pages[2], Soon) },
                "Ready",
                "Keep B. It got 30% more opt-ins than A.",
                "C is ahead of B, but not surely better than A yet: that takes 400 to 2,400 more visitors."
            },
        };

    [Theory]
    [MemberData(nameof(Verdicts))]
    public void A_verdict_has_its_words(Verdict verdict, string label, string sentence, string why)
    {
        var text = Say(verdict);
        Assert.Equal((label, sentence), (text.Label, text.Sentence));
        Assert.Contains(why, text.Why, StringComparison.Ordinal);
    }

    [Theory]
    // What is left to wait is told in the unit that a person would use.
    [InlineData(1.49, ": a day at")]
    [InlineData(1.51, ": 2 days at")]
    [InlineData(59.9, ": 60 days at")]
    [InlineData(60.1, ": 2 months at")]
    [InlineData(729, ": 24 months at")]
    [InlineData(731, ": several years at")]
    public void The_wait_is_told_in_days_months_or_years(double days, string words) =>
        Assert.Contains(words, Say(new Verdict.Undecided(B, A, Lasting(days), false)).Why, StringComparison.Ordinal);

    [Theory]
    [InlineData(3, 8, "3 to 8 days")]
    [InlineData(1, 8, "1 to 8 days")]
    [InlineData(20, 90, "20 days to 3 months")]
    [InlineData(90, 900, "3 months to several years")]
    [InlineData(900, 1900, "several years")]
    [InlineData(7.6, 8.4, "8 days")]
    public void A_range_is_told_from_the_least_to_the_most(double least, double most, string words) =>
        Assert.Equal(words, ForecastWording.Days(new((long)(least * 1000), (long)(most * 1000), 1000)));

    private static Forecast Lasting(double days) => new(2400, 2400, 2400 / days);

    [Fact]
    public void Where_the_traffic_is_not_known_only_visitors_are_told() =>
        Assert.EndsWith(
            "About 2,400 more visitors should decide it.",
            Say(new Verdict.Undecided(B, A, new(2400, 2400, 0), false)).Why,
            StringComparison.Ordinal
        );

    [Fact]
    public void Where_money_and_conversions_disagree_it_is_said()
    {
        var byGoal = Say(new Verdict.Better(B, A, 0.3, false) { OtherMeasure = A });
        Assert.Contains(" By revenue, A is clearly ahead. The two disagree", byGoal.Why, StringComparison.Ordinal);
        var byMoney = Say(new Verdict.Better(B, A, 78, true) { OtherMeasure = A });
        Assert.EndsWith(" By opt-ins A is clearly ahead: the two disagree.", byMoney.Why, StringComparison.Ordinal);
    }

    [Fact]
    public void A_stricter_level_is_told_as_it_is_set() =>
        Assert.Contains(
            "fewer than 1 in 100 tests end in a wrong call",
            VerdictWording.Say(new Verdict.Better(B, A, 0.3, false), Three with { Alpha = 0.01 }, Dollars).Why,
            StringComparison.Ordinal
        );

    private static VerdictText Say(Verdict verdict) => VerdictWording.Say(verdict, Three, Dollars);

    private static string Dollars(double cents) =>
        (cents / 100).ToString("$0.00", System.Globalization.CultureInfo.InvariantCulture);
}
