using Wexil.Core.Funnels;

namespace Wexil.Core.Pages;

/// <summary>Something a step can show: hosted here, or living outside.</summary>
/// <param name="Outside">The address of an outside page; null for a hosted one.</param>
/// <param name="Entry">The file of a hosted page that is the page itself; null for an outside one.</param>
/// <param name="Parent">The page this one was cloned from.</param>
public sealed record Page(PageId Id, StepId Step, string Slug, string Name, Uri? Outside, string? Entry, PageId? Parent, int Revision, DateTimeOffset ChangedAt)
{
    public bool IsHosted => Outside is null;
}
