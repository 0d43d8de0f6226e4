namespace Wexil.Core.Visitors;

/// <summary>By what the visitors of a test are told apart; the numbers are stored.</summary>
public enum SegmentKind
{
    /// <summary>By phone, tablet or desktop.</summary>
    Device = 1,

    /// <summary>By the source that sent the visitor.</summary>
    Source = 2,

    /// <summary>By country.</summary>
    Country = 3,

    /// <summary>New or returning.</summary>
    Returning = 4,

    /// <summary>By the owner’s weekday of the visit.</summary>
    Weekday = 5,
}

/// <summary>What is known of a visitor's first visit to a test, in one number.</summary>
/// <remarks>Two bits for the device, one for returning, three for the weekday, sixteen for the country's letters,
/// twenty-six for the source, six each for the network and the browser.</remarks>
public readonly record struct VisitorTraits(long Packed)
{
    private const int SourceAt = 22,
        NetworkAt = 48,
        AgentAt = 54;

    private const long SourceBits = (1L << (NetworkAt - SourceAt)) - 1;

    /// <summary>The highest number of a source that there is room for.</summary>
    public const long MaxSource = SourceBits - 1;

    /// <param name="source">The number of the source: 0 for none, -1 for one of very many.</param>
    /// <param name="day">The weekday in the owner's time zone.</param>
    public static VisitorTraits From(VisitNote note, long source, DayOfWeek day)
    {
        var country = note.Country.Length == 2 ? (note.Country[0] << 8) | (note.Country[1] & 0xFF) : 0;
        return new(
            (long)note.Device
                | (note.IsReturning ? 4L : 0)
                | ((long)day << 3)
                | ((long)country << 6)
                | (((source + 1) & SourceBits) << SourceAt)
                | ((long)note.Crowd.Network << NetworkAt)
                | ((long)note.Crowd.Agent << AgentAt)
        );
    }

    /// <summary>False of visitors who came before their traits were kept: they are in no segment.</summary>
    public bool IsKnown => Packed >= 0;

    /// <summary>The kind of row that counts by <see cref="Small"/>.</summary>
    public const int Together = 0;

    /// <summary>
    /// Device, returning and weekday in one small number: counted together, they cost a visit one row and not three.
    /// </summary>
    public long Small => Packed & 63;

    /// <summary>Where the weekday is, in <see cref="Small"/> and in all of them packed.</summary>
    public const long WeekdayBits = 7 << 3;

    /// <summary>The rows by which a visitor is counted; none by a network or a browser that is not known.</summary>
    public int Rows =>
        !IsKnown ? 0
        : Packed >> NetworkAt == 0 ? 3
        : 5;

    /// <param name="index">From 0, below <see cref="Rows"/>.</param>
    public (int Kind, long Value) Row(int index) =>
        index switch
        {
            0 => (Together, Small),
            1 => ((int)SegmentKind.Country, ValueOf(SegmentKind.Country)),
            2 => ((int)SegmentKind.Source, ValueOf(SegmentKind.Source)),
            3 => ((int)CrowdKind.Network, (Packed >> NetworkAt) & Crowd.Numbers),
            _ => ((int)CrowdKind.Agent, (Packed >> AgentAt) & Crowd.Numbers),
        };

    /// <summary>The visitor's value of a segment.</summary>
    public long ValueOf(SegmentKind kind) =>
        kind switch
        {
            SegmentKind.Device => Packed & 3,
            SegmentKind.Returning => (Packed >> 2) & 1,
            SegmentKind.Weekday => (Packed >> 3) & 7,
            SegmentKind.Country => (Packed >> 6) & 0xFFFF,
            _ => ((Packed >> SourceAt) & SourceBits) - 1,
        };

    /// <summary>The country that a stored value stands for; empty for none.</summary>
    public static string CountryOf(long value) => value == 0 ? "" : $"{(char)(value >> 8)}{(char)(value & 0xFF)}";
}
