using Wexil.Core.Pages;

namespace Wexil.Core.Funnels;

/// <summary>A page of a funnel that goes out or comes in: hosted with its files, or outside.</summary>
/// <param name="Parent">The page it was cloned from, as a place among the pages of its step.</param>
public sealed record FunnelPage(
    string Name,
    PageBundle? Bundle,
    Uri? Outside,
    int? Parent = null,
    bool IsIndexed = false
);

/// <summary>A step of a funnel that goes out or comes in.</summary>
/// <param name="Yes">Where a yes leads, as a place among the funnel's steps; null for the next in order.</param>
/// <param name="Shown">The page that everybody sees, as a place among the step's pages.</param>
public sealed record FunnelStep(
    StepKind Kind,
    string Name,
    string Slug,
    IReadOnlyList<FunnelPage> Pages,
    int? Yes = null,
    int? No = null,
    int Shown = 0
);

/// <summary>A whole funnel outside of any store.</summary>
public sealed record FunnelPlan(string Name, IReadOnlyList<FunnelStep> Steps);
