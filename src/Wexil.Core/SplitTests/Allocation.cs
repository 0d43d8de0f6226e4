namespace Wexil.Core.SplitTests;

/// <summary>How the pages of a test take turns.</summary>
public enum Allocation
{
    /// <summary>Each new visitor is drawn by weight.</summary>
    Chance,

    /// <summary>One after the other, exactly to weight.</summary>
    InTurn,

    /// <summary>Drawn by weights that follow the evidence every hour.</summary>
    Lean,
}
