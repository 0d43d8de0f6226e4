using Wexil.App.Wording;

namespace Wexil.Web.Studio.Shared;

/// <summary>A part of a long list, and the addresses of the parts beside it.</summary>
/// <param name="Before">How many come before it.</param>
/// <param name="Found">How many there are in all.</param>
/// <param name="Back">Null for the first part.</param>
/// <param name="On">Null for the last part.</param>
public sealed record Further(long Before, int Shown, long Found, string? Back, string? On)
{
    /// <summary>"101 to 200 of 300".</summary>
    public string Words => $"{Format.Count(Before + 1)} to {Format.Count(Before + Shown)} of {Format.Count(Found)}";
}
