namespace Wexil.Core.Pages;

/// <summary>Something that was looked at on an outside page.</summary>
/// <param name="What">What was asked.</param>
/// <param name="Good">Null where it cannot be told from the page alone.</param>
/// <param name="Words">What was found.</param>
/// <param name="Mend">What to do about it; empty where there is nothing to do.</param>
public sealed record Finding(string What, bool? Good, string Words, string Mend = "");
