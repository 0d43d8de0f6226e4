using System.Text.Json;
using System.Text.Json.Serialization;
using Wexil.Core.Statistics;

namespace Wexil.Core.SplitTests;

/// <summary>Who keeps a page.</summary>
public enum KeepBy
{
    /// <summary>The owner keeps a page.</summary>
    Hand,

    /// <summary>By itself, when it is sure enough.</summary>
    Sure,

    /// <summary>By itself, after so many visitors: whichever is ahead.</summary>
    Visitors,
}

/// <summary>By what a test is judged, and when a page is kept by itself.</summary>
/// <param name="OnMoney">Judged by earned per visitor, and not by the main goal.</param>
public sealed record KeepRule(KeepBy By, bool OnMoney = false)
{
    /// <summary>How sure a rule may be asked to be, at least and at most.</summary>
    public const double MinSureness = 0.8,
        MaxSureness = 0.999;
    private static readonly JsonSerializerOptions Format = new() { Converters = { new JsonStringEnumConverter() } };

    /// <summary>By hand, judged by the main goal.</summary>
    public static readonly KeepRule Default = new(KeepBy.Hand);

    /// <summary>How sure it has to be, 0.8 to 0.999; looked at as often as one likes.</summary>
    public double Sureness { get; init; } = 0.95;

    /// <summary>On each page, 25 or more.</summary>
    public int Conversions { get; init; } = 100;

    /// <summary>Full days that the test has run at least.</summary>
    public int Days { get; init; } = 14;

    /// <summary>
    /// It keeps a page only when full weeks have passed, so that every weekday counts as often; false for rules from
    /// before that could be said.
    /// </summary>
    public bool WholeWeeks { get; init; }

    /// <summary>The owner's day from which on it waits no longer; null for as long as it takes.</summary>
    public DateOnly? Latest { get; init; }

    /// <summary>On that day whichever is ahead is kept, and not the control.</summary>
    public bool LeaderAtLatest { get; init; }

    /// <summary>A page that is surely worse than the control gets nobody new, while the others go on.</summary>
    public bool RestsLosers { get; init; }

    /// <summary>How a page that it keeps is checked afterwards; null for not at all.</summary>
    public CheckPlan? Check { get; init; }

    /// <summary>Visitors over all pages after which whichever is ahead is kept.</summary>
    public long Visitors { get; init; } = 2000;

    /// <summary>As stored.</summary>
    public string ToJson() => JsonSerializer.Serialize(this, Format);

    /// <summary>Reads what <see cref="ToJson"/> wrote; an empty text is the default.</summary>
    public static KeepRule Parse(string text) =>
        text.Length == 0 ? Default : JsonSerializer.Deserialize<KeepRule>(text, Format) ?? Default;

    /// <summary>
    /// How often keeping whichever of two pages is ahead after so many visitors keeps the worse, where one is better by
    /// the smallest lift worth finding.
    /// </summary>
    /// <param name="baseRate">Strictly between 0 and 1.</param>
    public static double ErrorAfter(long visitors, double baseRate, double smallestLift)
    {
        var better = Planner.BetterRate(baseRate, smallestLift);
        var deviation = Math.Sqrt((baseRate * (1 - baseRate) + better * (1 - better)) / Math.Max(1, visitors / 2.0));
        return Confidence.TwoSidedP((better - baseRate) / deviation) / 2;
    }
}
