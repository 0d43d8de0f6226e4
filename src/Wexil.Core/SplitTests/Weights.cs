using Wexil.Core.Common;

namespace Wexil.Core.SplitTests;

/// <summary>
/// The shares of a step's traffic in whole percent, one for each page of a test, always adding up to 100. A weight of 0
/// lets the page rest: nobody new is sent there.
/// </summary>
public sealed class Weights : IEquatable<Weights>
{
    /// <summary>What all weights add up to.</summary>
    public const int Total = 100;

    /// <summary>What is wrong with a single page.</summary>
    public const string TooFewPages = "A split test needs at least two pages.";

    private readonly int[] _percent;

    private Weights(int[] percent) => _percent = percent;

    /// <summary>By page, 0 to 100 each.</summary>
    public IReadOnlyList<int> Percent => _percent;

    /// <summary>How many pages there are.</summary>
    public int Count => _percent.Length;

    /// <summary>The weight of a page by its place, in percent.</summary>
    public int this[int page] => _percent[page];

    /// <summary>Takes weights as a person set them, or says in words why they cannot be used.</summary>
    public static (Weights? Weights, string? Problem) Check(IReadOnlyList<int> percent)
    {
        if (percent.Count < 2)
            return (null, TooFewPages);
        if (percent.Any(p => p is < 0 or > Total))
            return (null, "Each weight must be a whole number from 0 to 100.");
        var sum = percent.Sum();
        return sum switch
        {
            < Total => (null, TooLittle($"{sum}", $"{Total - sum}")),
            > Total => (null, TooMuch($"{sum}", $"{sum - Total}")),
            _ => (new([.. percent]), null),
        };
    }

    /// <summary>What is wrong with weights that add up to less than 100.</summary>
    /// <param name="sum">A number, or the place where a browser puts it; so is the other.</param>
    public static string TooLittle(string sum, string left) => $"The weights add up to {sum}. Add {left}.";

    /// <summary>What is wrong with weights that add up to more than 100.</summary>
    /// <inheritdoc cref="TooLittle"/>
    public static string TooMuch(string sum, string over) => $"The weights add up to {sum}. Take off {over}.";

    /// <exception cref="ArgumentException">The weights cannot be used; the message says why.</exception>
    public static Weights Create(params int[] percent) =>
        Check(percent) is { Weights: { } weights }
            ? weights
            : throw new ArgumentException(Check(percent).Problem, nameof(percent));

    /// <summary>Weights as equal as whole percents allow; the first pages take what is left over.</summary>
    public static Weights Even(int pages) =>
        Create(LargestRemainder.Round([.. Enumerable.Repeat((double)Total / pages, pages)], Total));

    /// <summary>The page that a draw falls on.</summary>
    /// <param name="unit">The draw, at least 0 and below 1.</param>
    public int PageAt(double unit)
    {
        var place = unit * Total;
        var last = 0;
        for (var page = 0; page < _percent.Length; page++)
        {
            if (_percent[page] == 0)
                continue;
            last = page;
            place -= _percent[page];
            if (place < 0)
                break;
        }
        return last;
    }

    /// <summary>
    /// The weights while some pages rest: their share goes to the others, in proportion. As they are, when nobody else
    /// has any.
    /// </summary>
    public Weights Without(IReadOnlyCollection<int> resting)
    {
        var left = _percent.Where((_, page) => !resting.Contains(page)).Sum();
        if (left is 0 or Total)
            return this;
        var exact = _percent.Select((percent, page) => resting.Contains(page) ? 0 : (double)percent * Total / left);
        return new(LargestRemainder.Round([.. exact], Total));
    }

    /// <inheritdoc/>
    public bool Equals(Weights? other) => other is not null && _percent.AsSpan().SequenceEqual(other._percent);

    /// <inheritdoc/>
    public override bool Equals(object? obj) => Equals(obj as Weights);

    /// <inheritdoc/>
    public override int GetHashCode() => _percent.Aggregate(17, HashCode.Combine);

    /// <summary>As stored and shown: "50/30/20".</summary>
    public override string ToString() => string.Join('/', _percent);

    /// <summary>Reads what <see cref="ToString"/> wrote.</summary>
    public static Weights Parse(string text) => Create([.. text.Split('/').Select(int.Parse)]);
}
