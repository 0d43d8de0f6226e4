namespace Wexil.Core.SplitTests;

/// <summary>How a test stands at a moment.</summary>
public enum TestState
{
    /// <summary>It starts later.</summary>
    Scheduled,

    /// <summary>It enrols visitors.</summary>
    Running,

    /// <summary>It enrols nobody until it goes on.</summary>
    Paused,

    /// <summary>Its time is over and no page is kept yet.</summary>
    Over,

    /// <summary>A page was kept.</summary>
    Decided,
}
