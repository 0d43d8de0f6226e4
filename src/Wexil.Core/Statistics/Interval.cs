namespace Wexil.Core.Statistics;

/// <summary>A closed range that holds the unknown value with the stated confidence.</summary>
public readonly record struct Interval(double Low, double High)
{
    /// <summary>Is the value inside, ends included?</summary>
    public bool Contains(double value) => Low <= value && value <= High;
}
