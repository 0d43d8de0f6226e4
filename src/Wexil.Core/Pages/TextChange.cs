namespace Wexil.Core.Pages;

/// <summary>One stretch of a text replaced by another: enough to go from one text to the next, and back.</summary>
/// <param name="Start">Where the stretch begins, in UTF-16 units.</param>
public sealed record TextChange(int Start, string Removed, string Inserted)
{
    /// <summary>The smallest single stretch that turns one text into the other.</summary>
    public static TextChange Between(string before, string after)
    {
        var most = Math.Min(before.Length, after.Length);
        var start = before.AsSpan().CommonPrefixLength(after);
        var end = 0;
        while (end < most - start && before[^(end + 1)] == after[^(end + 1)])
            end++;
        // A character of two units is never cut in half: neither half can be stored by itself.
        if (start > 0 && char.IsHighSurrogate(before[start - 1]))
            start--;
        if (end > 0 && char.IsLowSurrogate(before[^end]))
            end--;
        return new(start, before[start..^end], after[start..^end]);
    }

    /// <summary>
    /// Does the change leave a stretch of the text alone, so that both can be changed? An insertion right at an end of
    /// the stretch stands beside it.
    /// </summary>
    public bool IsApart(int start, int end) => Start + Removed.Length <= start || Start >= end;

    /// <summary>The change that takes this one back.</summary>
    public TextChange Reversed => new(Start, Inserted, Removed);

    /// <summary>The text with the change made; null when it is not the text that the change is about.</summary>
    public string? Apply(string text)
    {
        if (
            Start < 0
            || Start + Removed.Length > text.Length
            || string.CompareOrdinal(text, Start, Removed, 0, Removed.Length) != 0
        )
            return null;
        return string.Concat(text.AsSpan(0, Start), Inserted, text.AsSpan(Start + Removed.Length));
    }
}
