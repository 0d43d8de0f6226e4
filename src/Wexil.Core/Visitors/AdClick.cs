using System.Globalization;
using Wexil.Core.Common;

namespace Wexil.Core.Visitors;

/// <summary>A click as an ad network tells of it in the link.</summary>
/// <param name="Id">The network's own name for it.</param>
/// <param name="Cost">In millionths of a unit of the owner's currency; 0 where the link does not say.</param>
public readonly record struct AdClick(string Id, long Cost)
{
    /// <summary>In characters; a longer name of a click is no name.</summary>
    public const int MaxIdLength = 200;

    /// <summary>The person was removed: only what the click cost is left.</summary>
    public bool IsOfNobody => Id.Length == 0;

    /// <summary>
    /// Reads the click out of a link's query; null where the link names none. A cost above the most that the owner
    /// expects is not believed.
    /// </summary>
    /// <param name="most">In millionths.</param>
    public static AdClick? Read(string query, string clickParameter, string? costParameter, long most)
    {
        if (
            AddressQuery.Value(query, clickParameter) is not { Length: > 0 and <= MaxIdLength } id
            || !id.All(letter => letter is > ' ' and <= '~')
        )
            return null;
        var cost = costParameter is null ? null : ReadCost(AddressQuery.Value(query, costParameter));
        return new(id, cost is { } told && told <= most ? told : 0);
    }

    private static long? ReadCost(string? written) =>
        decimal.TryParse(written, NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out var cost)
        && cost is >= 0 and <= 1_000_000
            ? (long)Math.Round(cost * 1_000_000)
            : null;
}
