using Wexil.Core.Statistics;

namespace Wexil.Core.Results;

/// <summary>
/// What a kept page brings more than the page it replaced, as the check measures it on visitors who see either by
/// chance: not projected from the test that kept it, and not held to the moment at which it stood well.
/// </summary>
/// <param name="Difference">Kept minus replaced per visitor: of the rates, or in the currency's smallest unit.</param>
/// <param name="Range">Of the difference; null while either page has too little for one.</param>
/// <param name="Replaced">What a visitor of the page replaced brings. 0 or more.</param>
public sealed record MeasuredUplift(double Difference, Interval? Range, double Replaced)
{
    /// <summary>As a share of what the page replaced brings; null where that is nothing.</summary>
    public double? Lift => Replaced > 0 ? Difference / Replaced : null;

    /// <summary>The range of the lift; null as above.</summary>
    public Interval? LiftRange =>
        Replaced > 0 && Range is { } range ? new(range.Low / Replaced, range.High / Replaced) : null;

    /// <summary>From a check's own figures, in which the kept page is the control.</summary>
    /// <param name="difference">Replaced minus kept.</param>
    /// <param name="range">Of that.</param>
    public static MeasuredUplift From(double difference, Interval? range, double replaced) =>
        new(-difference, range is { } known ? new Interval(-known.High, -known.Low) : null, replaced);

    /// <summary>By the main goal; null while nobody has seen either page.</summary>
    public static MeasuredUplift? From(TestResult check) =>
        check.Challengers.Single() is { AgainstControl: { } against } replaced
            ? From(against.Difference, against.Interval, replaced.Standard.Rate)
            : null;

    /// <summary>By what visitors bring; null as above.</summary>
    public static MeasuredUplift? From(RevenueResult check) =>
        check.Challengers.Single() is { AgainstControl: { } against } replaced
            ? From(against.Difference, against.Interval, replaced.Standard.Mean)
            : null;
}
