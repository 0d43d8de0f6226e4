namespace Wexil.Core.Funnels;

/// <summary>The path a visitor takes for one offer.</summary>
public sealed record Funnel(FunnelId Id, string Slug, string Name);

/// <summary>One place on the path, with the one link that never changes.</summary>
/// <param name="Page">The page everybody sees while nothing is tested; null while the step has none.</param>
public sealed record Step(StepId Id, FunnelId Funnel, int Position, StepKind Kind, string Name, string Slug, PageId? Page);
