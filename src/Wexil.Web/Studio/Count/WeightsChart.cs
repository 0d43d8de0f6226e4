using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.SplitTests;

namespace Wexil.Web.Studio.Count;

/// <summary>The weights of a test over time: a column for each phase, as wide as it was long.</summary>
public sealed class WeightsChart
{
    public const double Width = 860,
        Height = 130;
    private const double Left = 52,
        Right = 846,
        Top = 8,
        Bottom = 104;

    /// <summary>What a page had of the visitors in a phase.</summary>
    public sealed record Piece(string Letter, double X, double Y, double Width, double Height, int Percent);

    public IReadOnlyList<Piece> Pieces { get; private init; } = [];
    public string From { get; private init; } = "";
    public string Until { get; private init; } = "";
    public string Words { get; private init; } = "";

    /// <summary>Null where the weights never changed.</summary>
    public static WeightsChart? Create(TestReading reading, OwnerTime clock)
    {
        Phase[] phases = [.. reading.Phases.Where(phase => phase.StartedAt < clock.Now)];
        if (phases.Select(phase => phase.Weights).Distinct().Count() < 2)
            return null;
        var (from, until) = (phases[0].StartedAt, End(phases[^1]));
        double X(DateTimeOffset moment) => Left + (moment - from) / (until - from) * (Right - Left);
        DateTimeOffset End(Phase phase) => phase.EndedAt is { } ended && ended < clock.Now ? ended : clock.Now;
        var pieces = new List<Piece>();
        foreach (var phase in phases)
        {
            var y = Top;
            for (var page = 0; page < phase.Weights.Count; page++)
            {
                var height = phase.Weights[page] / 100.0 * (Bottom - Top);
                if (height > 0)
                    pieces.Add(
                        new(
                            PageLetter.At(page),
                            X(phase.StartedAt),
                            y,
                            Math.Max(0.5, X(End(phase)) - X(phase.StartedAt)),
                            height,
                            phase.Weights[page]
                        )
                    );
                y += height;
            }
        }
        return new()
        {
            Pieces = pieces,
            From = clock.Moment(from),
            Until = until >= clock.Now ? "now" : clock.Moment(until),
            Words = $"from {phases[0].Weights} to {phases[^1].Weights}",
        };
    }
}
