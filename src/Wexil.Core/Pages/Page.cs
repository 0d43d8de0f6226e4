using Wexil.Core.Common;

namespace Wexil.Core.Pages;

/// <summary>Something a step can show: hosted here, or living outside.</summary>
/// <param name="Outside">The address of an outside page; null for a hosted one.</param>
/// <param name="Entry">The file of a hosted page that is the page itself; null for an outside one.</param>
/// <param name="Parent">The page this one was cloned from.</param>
/// <param name="ParentVersion">The newest version of the parent whose changes this page has seen.</param>
/// <param name="Revision">The version that visitors see.</param>
/// <param name="IsIndexed">Search engines may list the page under its own address.</param>
/// <param name="HasDraft">It was changed since it was published.</param>
public sealed record Page(
    PageId Id,
    StepId Step,
    string Slug,
    string Name,
    Uri? Outside,
    string? Entry,
    PageId? Parent,
    int? ParentVersion,
    int Revision,
    DateTimeOffset ChangedAt,
    bool IsIndexed,
    bool HasDraft
)
{
    /// <summary>Wexil stores and serves it; else it is an address elsewhere.</summary>
    public bool IsHosted => Outside is null;
}

/// <summary>A page as it was published once.</summary>
public sealed record PageVersion(int Number, DateTimeOffset PublishedAt, string Note);
