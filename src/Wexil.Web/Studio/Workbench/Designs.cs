using Wexil.App.Wording;
using Wexil.Core.Simulation;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;

namespace Wexil.Web.Studio.Workbench;

/// <summary>A way to set a test up, and what it takes.</summary>
/// <param name="Found">The lift that two weeks find; null where not even a tenfold one.</param>
/// <param name="IsSoonest">No other with as many pages ends sooner.</param>
public sealed record Design(string Name, double Days, double? Found, bool IsSoonest)
{
    /// <summary>How long its bar is, of 1.</summary>
    public double Length { get; init; }
}

/// <summary>What more pages, another split and weights that follow the evidence cost at the same traffic.</summary>
public sealed class Designs
{
    private const int FewPages = 4,
        TwoWeeks = 14;
    private readonly double _rate,
        _lift,
        _perDay,
        _power;

    /// <param name="rate">Strictly between 0 and 1.</param>
    /// <param name="lift">As a share of the rate, above 0.</param>
    /// <param name="perDay">Visitors a day who take part, above 0.</param>
    /// <param name="pages">How many are planned, 2 or more.</param>
    public Designs(double rate, double lift, double perDay, int pages, double power)
    {
        (_rate, _lift, _perDay, _power) = (rate, lift, perDay, power);
        Design[] all = [.. All(pages)];
        var longest = all.Max(design => design.Days);
        Rows = [.. all.Select(design => design with { Length = design.Days / longest })];
        TwoWeeksAt = TwoWeeks / longest;
        Words = Say(pages);
    }

    /// <summary>The fewest pages first.</summary>
    public IReadOnlyList<Design> Rows { get; }

    /// <summary>Where two weeks are on the bars, of 1; beyond it where none takes as long.</summary>
    public double TwoWeeksAt { get; }

    /// <summary>Which ends soonest, and what the others cost.</summary>
    public string Words { get; }

    private IEnumerable<Design> All(int pages)
    {
        foreach (var count in Enumerable.Range(2, FewPages - 1).Append(pages).Distinct().Order())
        {
            var isOwn = count == pages;
            yield return Row($"{count} pages, even split", count, 1, isOwn && count == 2);
            if (!isOwn)
                continue;
            if (count > 2)
            {
                var soonest = TestDesign.Soonest(count);
                yield return Row($"{count} pages, split {soonest}", count, TestDesign.Cost(soonest), true);
            }
            yield return Row($"{count} pages, favoring the leader", count, Leaning(count), false);
        }
    }

    private Design Row(string name, int pages, double cost, bool isSoonest) =>
        new(name, Days(pages) * cost, Planner.LiftFound(_rate, _perDay * TwoWeeks / cost, pages, _power), isSoonest);

    private double Days(int pages) => Planner.PlannedTotal(_rate, _lift, pages, _power) / _perDay;

    private double Leaning(int pages) => LeaningForecast.Cost(_rate, _lift, pages, TestSettings.DefaultFloor);

    private string Say(int pages)
    {
        var soonest = TestDesign.Soonest(pages);
        var days = Days(pages) * TestDesign.Cost(soonest);
        var split = pages == 2 ? "an even split" : $"a split of {soonest}";
        var leaning = Days(pages) * Leaning(pages) - days;
        var more = Days(pages + 1) * TestDesign.Cost(TestDesign.Soonest(pages + 1)) - days;
        return $"With {pages} pages, {split} ends soonest: {Span(days)}. One more page takes {Span(more)} more, and "
            + $"favoring the leader up to {Span(leaning)} more.";
    }

    private static string Span(double days) => Format.Count((long)Math.Max(1, Math.Ceiling(days)), "day", "days");
}
