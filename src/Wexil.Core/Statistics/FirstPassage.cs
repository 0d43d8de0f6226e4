namespace Wexil.Core.Statistics;

/// <summary>When a sum that moves by chance first reaches a line.</summary>
public static class FirstPassage
{
    /// <summary>
    /// The chance that a Brownian motion, whose drift is known up to a normal error, reaches a line above it within a
    /// time. Source: D. Siegmund, "Sequential Analysis" (1985), chapter 3, averaged over the drift.
    /// </summary>
    /// <param name="distance">From where it is to the line; 0 or less for one that is reached.</param>
    /// <param name="drift">By unit of time, as it is expected.</param>
    /// <param name="variance">Of the drift; 0 for one that is known.</param>
    /// <param name="time">0 or more; within one unit the motion's variance grows by 1.</param>
    public static double Chance(double distance, double drift, double variance, double time)
    {
        if (distance <= 0)
            return 1;
        if (time <= 0)
            return 0;
        var spread = Math.Sqrt(time + variance * time * time);
        var straight = Confidence.Normal((drift * time - distance) / spread);
        // A path that was there and has come back is mirrored at the line.
        var mirrored = Confidence.Normal((-distance - (drift + 2 * distance * variance) * time) / spread);
        return mirrored == 0
            ? straight
            : Math.Min(1, straight + mirrored * Math.Exp(2 * distance * (drift + distance * variance)));
    }
}
