namespace Wexil.App.Fetching;

/// <summary>Why something that was sent was not taken.</summary>
/// <param name="Why">In words.</param>
/// <param name="IsServiceDown">Whatever else is sent there will fare no better for a while.</param>
public sealed record SendFailure(string Why, bool IsServiceDown);
