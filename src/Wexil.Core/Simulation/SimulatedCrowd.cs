using MathNet.Numerics.Distributions;

namespace Wexil.Core.Simulation;

/// <summary>
/// Made-up visitors from a seed: when they come and whether they convert. The same seed gives the same crowd. Arrivals
/// follow the hours and days of ordinary traffic: quiet nights, busy evenings, fuller Sundays.
/// </summary>
public sealed class SimulatedCrowd(int seed)
{
    private static readonly double[] HourShare = Normalised([
        2,
        1,
        1,
        1,
        1,
        2,
        4,
        6,
        8,
        9,
        9,
        9,
        10,
        9,
        9,
        9,
        9,
        10,
        12,
        14,
        15,
        13,
        9,
        5,
    ]);

    private readonly Random _random = new(seed);

    /// <summary>Arrival times in order, from one moment up to another, at about so many a day.</summary>
    public IEnumerable<DateTimeOffset> Arrivals(DateTimeOffset from, DateTimeOffset until, double perDay)
    {
        for (var hour = from; hour < until; hour = hour.AddHours(1))
        {
            var day = hour.DayOfWeek switch
            {
                DayOfWeek.Sunday => 1.25,
                DayOfWeek.Monday => 1.1,
                DayOfWeek.Saturday => 0.8,
                _ => 0.97,
            };
            var moments = new double[Poisson.Sample(_random, perDay * day * HourShare[hour.Hour])];
            for (var i = 0; i < moments.Length; i++)
                moments[i] = _random.NextDouble();
            Array.Sort(moments);
            foreach (var moment in moments)
                if (hour.AddHours(moment) is var at && at < until)
                    yield return at;
        }
    }

    /// <summary>Does the next visitor do what one in <paramref name="rate"/> does?</summary>
    public bool Does(double rate) => _random.NextDouble() < rate;

    /// <summary>One of several, each as often as its weight says.</summary>
    public T OneOf<T>(params ReadOnlySpan<(T Value, int Weight)> choices)
    {
        var total = 0;
        foreach (var choice in choices)
            total += choice.Weight;
        var place = _random.Next(total);
        foreach (var (value, weight) in choices)
            if ((place -= weight) < 0)
                return value;
        return choices[^1].Value;
    }

    /// <summary>How long the visitor takes for it: half a minute to several, rarely longer.</summary>
    public TimeSpan Hesitates() => TimeSpan.FromSeconds(20 - 90 * Math.Log(1 - _random.NextDouble()));

    private static double[] Normalised(double[] shares) => [.. shares.Select(share => share / shares.Sum())];
}
