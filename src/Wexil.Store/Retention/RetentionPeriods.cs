namespace Wexil.Store.Retention;

/// <summary>For how many months what is kept; null forever.</summary>
/// <param name="Visits">Of visitors who left no address and bought nothing.</param>
/// <param name="People">Who have not opted in, bought or been added since.</param>
/// <param name="Buyers">The address of an order; its amount always stays.</param>
public sealed record RetentionPeriods(int? Visits, int? People, int? Buyers)
{
    /// <summary>Whoever comes again within it has to be known again, and refunds have to find their order.</summary>
    public const int Shortest = 3;

    /// <summary>Ten years.</summary>
    public const int Longest = 120;

    /// <summary>From when on things are kept for so many months; null where all are.</summary>
    public static DateTimeOffset? Before(int? months, DateTimeOffset now) =>
        months is { } count ? now.AddMonths(-count) : null;
}
