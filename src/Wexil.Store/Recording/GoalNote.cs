using System.Globalization;
using Wexil.Core.Common;

namespace Wexil.Store.Recording;

/// <summary>What an event remembers of a goal that was met.</summary>
/// <param name="Value">What came with it, in minor units of the owner's currency.</param>
public readonly record struct GoalNote(GoalId Goal, long Value)
{
    /// <summary>As stored.</summary>
    public override string ToString() => string.Create(CultureInfo.InvariantCulture, $"{Goal.Value}/{Value}");

    /// <summary>Reads what <see cref="ToString"/> wrote.</summary>
    public static GoalNote Parse(string text)
    {
        var slash = text.IndexOf('/', StringComparison.Ordinal);
        return new(
            new(long.Parse(text.AsSpan(0, slash), NumberStyles.None, CultureInfo.InvariantCulture)),
            long.Parse(text.AsSpan(slash + 1), NumberStyles.AllowLeadingSign, CultureInfo.InvariantCulture)
        );
    }
}

/// <summary>What an event remembers of a stretch of a visitor's stay on a page.</summary>
/// <param name="Engaged">The visitor clicked, scrolled, or stayed ten seconds.</param>
public readonly record struct StayNote(long Milliseconds, bool Engaged)
{
    /// <summary>As stored.</summary>
    public override string ToString() =>
        string.Create(CultureInfo.InvariantCulture, $"{Milliseconds}{(Engaged ? "+" : "")}");

    /// <summary>Reads what <see cref="ToString"/> wrote.</summary>
    public static StayNote Parse(string text) =>
        new(long.Parse(text.TrimEnd('+'), NumberStyles.None, CultureInfo.InvariantCulture), text.EndsWith('+'));
}
