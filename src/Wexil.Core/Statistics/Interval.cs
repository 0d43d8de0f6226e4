namespace Wexil.Core.Statistics;

/// <summary>A closed range that holds the unknown value with the stated confidence.</summary>
public readonly record struct Interval(double Low, double High)
{
    public bool Contains(double value) => Low <= value && value <= High;
}
