namespace Wexil.Web.Studio.Shared;

/// <summary>A part of a long list: how much of it is shown, and the addresses of the parts beside it.</summary>
/// <param name="Back">Null for the first part.</param>
/// <param name="On">Null for the last part.</param>
public sealed record Further(string Shown, string Found, string? Back, string? On);
