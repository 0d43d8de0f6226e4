namespace Wexil.Core.SplitTests;

/// <summary>How a test stands at a moment.</summary>
public enum TestState
{
    Scheduled,
    Running,
    Paused,

    /// <summary>Its time is over and no page is kept yet.</summary>
    Over,
    Decided,
}
