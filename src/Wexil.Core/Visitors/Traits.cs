namespace Wexil.Core.Visitors;

/// <summary>What a visitor holds in hand or sits at; the numbers are stored.</summary>
public enum Device
{
    /// <summary>A computer, and whatever is not known.</summary>
    Desktop,

    /// <summary>A tablet.</summary>
    Tablet,

    /// <summary>A phone.</summary>
    Phone,
}

/// <summary>What is known of a visitor's browser and visit without knowing the person.</summary>
/// <param name="Country">Two letters (ISO 3166-1), or empty where it is not known.</param>
/// <param name="Language">The first language that the browser asks for, two letters (ISO 639-1), or empty.</param>
/// <param name="IsReturning">Was here before, more than half an hour ago.</param>
/// <param name="Source">The tag of the source that the link names, or empty.</param>
/// <param name="IsAffiliate">Sent by an affiliate.</param>
public sealed record Traits(
    Device Device,
    string Country = "",
    string Language = "",
    bool IsReturning = false,
    string Source = "",
    bool IsAffiliate = false
)
{
    /// <summary>Of a visitor of whom nothing is known.</summary>
    public static readonly Traits Unknown = new(Device.Desktop);

    /// <summary>
    /// The click of the ad network that sent the visitor, where its source is one and the link says so.
    /// </summary>
    public AdClick? Click { get; init; }

    /// <summary>The network and the browser, as far as they are known.</summary>
    public Crowd Crowd { get; init; }

    /// <summary>A visit later than this after the first is a return.</summary>
    public static readonly TimeSpan FirstSitting = TimeSpan.FromMinutes(30);
}

/// <summary>A visitor who follows a step's link.</summary>
/// <param name="Query">The query of the address as it came, with or without its question mark.</param>
public sealed record Visit(VisitorId Visitor, DateTimeOffset At, Traits Traits, string Query = "");

/// <summary>Why somebody sees a page without counting in the step's test; the letters are stored.</summary>
public enum ExclusionReason
{
    /// <summary>The test was paused, over or decided.</summary>
    NotRunning = 'n',

    /// <summary>The share of visitors who take part left this one out.</summary>
    Share = 's',

    /// <summary>Not one of those who take part.</summary>
    Audience = 'a',

    /// <summary>The source is tied to one page, so nothing was drawn.</summary>
    Tied = 't',

    /// <summary>Sent by an affiliate, while a page is closed to affiliates: not drawn from all pages.</summary>
    Affiliate = 'f',

    /// <summary>The page where the test begins did not hear from us in time.</summary>
    Late = 'l',

    /// <summary>Another section of the page shows what not every version of this one goes with.</summary>
    Combination = 'c',
}

/// <summary>Why somebody is served and left out of every count; the letters are stored.</summary>
public enum NotCountedReason
{
    /// <summary>A program, by its own words or by what it filled in.</summary>
    Robot = 'r',

    /// <summary>A browser that looks ahead of its user.</summary>
    Prefetch = 'p',

    /// <summary>Asked only whether the link answers.</summary>
    Check = 'h',

    /// <summary>The owner's own visit.</summary>
    Own = 'o',

    /// <summary>The browser asks by Global Privacy Control to be left alone, and the owner heeds that.</summary>
    Private = 'g',
}
