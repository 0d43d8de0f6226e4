using Wexil.Core.Common;

namespace Wexil.Core.Funnels;

/// <summary>The path a visitor takes for one offer.</summary>
/// <param name="SaleWorth">What a sale brings on average, in the owner's currency's smallest unit; null while nobody
/// said.</param>
public sealed record Funnel(FunnelId Id, string Slug, string Name, bool IsArchived, long? SaleWorth = null);

/// <summary>
/// One place on the path, with the one link that never changes; or a section, which is a place on the page of another.
/// </summary>
/// <param name="Page">The page everybody sees while nothing is tested; null while the step has none.</param>
/// <param name="Yes">Where a yes leads when the owner says otherwise than the order does.</param>
/// <param name="No">Where a no leads, likewise.</param>
/// <param name="IsArchived">Put away; its link goes on working.</param>
/// <param name="Forward">Where the link of an archived step leads instead of showing its page.</param>
public sealed record Step(
    StepId Id,
    FunnelId Funnel,
    int Position,
    StepKind Kind,
    string Name,
    string Slug,
    PageId? Page,
    StepId? Yes = null,
    StepId? No = null,
    bool IsArchived = false,
    string? Forward = null
)
{
    /// <summary>
    /// The step on whose page the section is; null for a step of the path. A section has versions as a step has pages,
    /// no link of its own, and its slug is the key by which pages name it.
    /// </summary>
    public StepId? Host { get; init; }

    /// <summary>It is a section, and no place on the path.</summary>
    public bool IsSection => Host is not null;

    /// <summary>Which parameters of the link travel on to the page.</summary>
    public CarriedParameters Carries { get; init; } = CarriedParameters.All;

    /// <summary>Ads point at the control's own address, an outside page, and the test starts there.</summary>
    public bool StartsOnPage { get; init; }

    /// <summary>How long that page waits to be told whether the visitor stays, in milliseconds.</summary>
    public int StartWait { get; init; } = DefaultStartWait;

    /// <summary>How long an own page waits for an answer, in milliseconds: unless said, at least and at most.</summary>
    public const int DefaultStartWait = 300,
        MinStartWait = 100,
        MaxStartWait = 2000;

    /// <summary>Hosted pages are shown at their own address instead of at the link.</summary>
    public bool Redirects { get; init; }
}
