namespace Wexil.Store.Recording.Projection;

/// <summary>The quarter of an hour in which something stands: time zones differ by quarters.</summary>
internal static class TimeBucket
{
    private const long Milliseconds = 15 * 60 * 1000;

    /// <summary>The start of a moment's quarter, both in Unix milliseconds.</summary>
    public static long StartOf(long at) => at - at % Milliseconds;
}
