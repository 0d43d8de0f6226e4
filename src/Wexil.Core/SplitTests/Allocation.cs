namespace Wexil.Core.SplitTests;

/// <summary>How the pages of a test take turns.</summary>
public enum Allocation
{
    /// <summary>Each new visitor is drawn by weight.</summary>
    Random,

    /// <summary>One after the other, exactly to weight.</summary>
    Rotation,

    /// <summary>Drawn by weights that follow the evidence every hour.</summary>
    Adaptive,
}
