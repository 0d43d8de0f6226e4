using System.Text.Json;
using System.Text.Json.Serialization;
using Wexil.Core.Common;

namespace Wexil.Core.Goals;

/// <summary>What a visitor does who meets a goal.</summary>
public enum GoalKind
{
    /// <summary>Comes to a later step of the funnel.</summary>
    Step,

    /// <summary>Comes to an address, on a page with the script.</summary>
    Address,

    /// <summary>Gives an e-mail address on a page hosted here.</summary>
    OptIn,

    /// <summary>Buys, as the till tells.</summary>
    Sale,

    /// <summary>Clicks on something, on a page with the script.</summary>
    Click,

    /// <summary>Does what a program elsewhere tells by the goal's own address.</summary>
    Signal,
}

/// <summary>What counts.</summary>
/// <param name="Name">As people call it.</param>
public sealed record Goal(GoalKind Kind, string Name)
{
    /// <summary>The longest time, in days, within which a goal is credited.</summary>
    public const int MaxWindowDays = 365;

    private static readonly JsonSerializerOptions Json = new()
    {
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingDefault,
        Converters = { new JsonStringEnumConverter() },
    };

    /// <summary>The step that is reached, of <see cref="GoalKind.Step"/>.</summary>
    public StepId? Step { get; init; }

    /// <summary>The address that is reached, of <see cref="GoalKind.Address"/>.</summary>
    public AddressPattern? Address { get; init; }

    /// <summary>The pages whose opt-ins count; none for all of the funnel.</summary>
    public IReadOnlyList<PageId> Pages { get; init; } = [];

    /// <summary>The products whose sales count, without regard to capitals; none for all.</summary>
    public IReadOnlyList<string> Products { get; init; } = [];

    /// <summary>What is clicked on, as a CSS selector, of <see cref="GoalKind.Click"/>.</summary>
    public string Element { get; init; } = "";

    /// <summary>What it is worth each time, in minor units of the owner's currency; 0 for nothing.</summary>
    public long Value { get; init; }

    /// <summary>It is worth what comes with it: an order's amount, or the value that a server tells.</summary>
    public bool ValueComes { get; init; }

    /// <summary>
    /// For how many days after a visitor took a place in the test it counts, 1 to 365; null for as long as the test
    /// runs.
    /// </summary>
    public int? WindowDays { get; init; }

    /// <summary>Counts each time, and not once for a visitor.</summary>
    public bool EveryTime { get; init; }

    /// <summary>A page is the better the fewer of its visitors do it.</summary>
    public bool LessIsBetter { get; init; }

    /// <summary>Does a sale of the product count?</summary>
    public bool Takes(string product) =>
        Products.Count == 0 || Products.Contains(product, StringComparer.OrdinalIgnoreCase);

    /// <summary>Does an opt-in on the page count?</summary>
    public bool Takes(PageId page) => Pages.Count == 0 || Pages.Contains(page);

    /// <summary>Does it count so long after the place was taken?</summary>
    public bool IsWithin(TimeSpan sincePlace) =>
        sincePlace >= TimeSpan.Zero && (WindowDays is not { } days || sincePlace <= TimeSpan.FromDays(days));

    /// <summary>
    /// What it counts, in the plural and the singular. Of a goal that is the better the less it is met, what is counted
    /// is who did not.
    /// </summary>
    public (string Many, string One) Words =>
        LessIsBetter
            ? ($"visitors without “{Name}”", $"visitor without “{Name}”")
            : Kind switch
            {
                GoalKind.OptIn => ("opt-ins", "opt-in"),
                GoalKind.Sale => ("sales", "sale"),
                GoalKind.Click => ("clicks", "click"),
                _ => ("conversions", "conversion"),
            };

    /// <summary>As stored.</summary>
    public string ToJson() => JsonSerializer.Serialize(this, Json);

    /// <exception cref="JsonException">The text is not one that <see cref="ToJson"/> wrote.</exception>
    public static Goal Parse(string text) =>
        JsonSerializer.Deserialize<Goal>(text, Json) ?? throw new JsonException("A goal is missing.");
}
