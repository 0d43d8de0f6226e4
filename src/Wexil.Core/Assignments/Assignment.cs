using Wexil.Core.Common;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;

namespace Wexil.Core.Assignments;

/// <summary>Where a visitor was put in a test: the page, once and for all.</summary>
public readonly record struct Enrolment(PageId Page, PhaseId? Phase);

/// <summary>What a visit to a link means for the count.</summary>
public enum AssignmentKind
{
    /// <summary>No test here, or the visitor already has a place in it.</summary>
    Plain,

    /// <summary>The visitor takes a place in the running test now.</summary>
    Enrols,

    /// <summary>The visitor is shown a page without being drawn, and stays out of the test from now on.</summary>
    Apart,
}

/// <summary>Why it is this page.</summary>
public enum AssignmentReason
{
    /// <summary>Nothing is tested: the page that the step shows.</summary>
    Shown,

    /// <summary>The source is tied to it.</summary>
    Tied,

    /// <summary>The visitor has a place on it.</summary>
    Place,

    /// <summary>The visitor's own page does not answer.</summary>
    OwnPageDown,

    /// <summary>The test is paused, not started or over.</summary>
    NotRunning,

    /// <summary>Left out by who takes part.</summary>
    Audience,

    /// <summary>Not among the share of visitors who take part.</summary>
    Share,

    /// <summary>Sent by an affiliate while a page of the test is closed to them.</summary>
    Affiliate,

    /// <summary>The page where the test begins did not hear from us in time, so the visitor stayed there.</summary>
    Late,

    /// <summary>Other sections of the page show what not every version goes with.</summary>
    Combination,

    /// <summary>Drawn by chance, by the weights.</summary>
    Drawn,

    /// <summary>The page whose turn it was.</summary>
    Rotation,
}

/// <summary>Chooses the page when pages take turns.</summary>
/// <param name="proposed">The page that was promised to this visitor before, or null.</param>
public delegate int NextInRotation(RouteTest test, int? proposed);

/// <summary>Which page a visitor is shown at a step, and what is to be recorded about it.</summary>
public readonly record struct Assignment(RoutePage Page, AssignmentKind Kind, AssignmentReason Reason)
{
    /// <summary>Why the visitor stays out of the count; null unless <see cref="AssignmentKind.Apart"/>.</summary>
    public ExclusionReason? Exclusion =>
        Kind != AssignmentKind.Apart
            ? null
            : Reason switch
            {
                AssignmentReason.Tied => Visitors.ExclusionReason.Tied,
                AssignmentReason.Audience => Visitors.ExclusionReason.Audience,
                AssignmentReason.Share => Visitors.ExclusionReason.Share,
                AssignmentReason.Affiliate => Visitors.ExclusionReason.Affiliate,
                AssignmentReason.Late => Visitors.ExclusionReason.Late,
                AssignmentReason.Combination => Visitors.ExclusionReason.Combination,
                _ => Visitors.ExclusionReason.NotRunning,
            };

    /// <summary>
    /// Decides. A running test shows a visitor the page of their place, whatever the settings are now, and draws for
    /// anybody new who takes part; while none runs, everybody sees the step's page. Null when the step has no page at
    /// all.
    /// </summary>
    /// <param name="next">Asked only where pages take turns, for a visitor who is enrolled by the answer.</param>
    /// <param name="promised">The page that a visitor who comes from a page of their own was drawn for there.</param>
    public static Assignment? Decide(
        RouteStep step,
        Visit visit,
        Enrolment? place,
        NextInRotation next,
        PageId? promised = null
    )
    {
        var tied = step.Tied.GetValueOrDefault(visit.Traits.Source);
        if (step.Test is not { } test || visit.At < test.From)
            return Otherwise(AssignmentKind.Plain, AssignmentReason.Shown);
        if (!test.RunsAt(visit.At))
            return Otherwise(AssignmentKind.Apart, AssignmentReason.NotRunning);
        if (place is { } taken && Known(step, test, taken.Page) is { } own)
            return test.Resting.Contains(own.Id)
                ? new(test.Fallback, AssignmentKind.Plain, AssignmentReason.OwnPageDown)
                : new(own, AssignmentKind.Plain, AssignmentReason.Place);
        if (tied is not null)
            return new(
                test.Resting.Contains(tied.Id) ? test.Fallback : tied,
                AssignmentKind.Apart,
                AssignmentReason.Tied
            );
        if (!test.Audience.Admits(visit.Traits, visit.Query))
            return new(test.Others ?? test.Fallback, AssignmentKind.Apart, AssignmentReason.Audience);
        if (test.Share < Weights.Total && HashBucket.ShareUnit(visit.Visitor, test.Id) * Weights.Total >= test.Share)
            return new(test.Fallback, AssignmentKind.Apart, AssignmentReason.Share);
        if (visit.Traits.IsAffiliate && test.ClosedToAffiliates.Count > 0)
            return new(Open(test, visit.Visitor), AssignmentKind.Apart, AssignmentReason.Affiliate);
        return Draw(test, visit, next, promised);

        Assignment? Otherwise(AssignmentKind kind, AssignmentReason reason) =>
            (tied ?? step.Page) is { } shown ? new(shown, kind, tied is null ? reason : AssignmentReason.Tied) : null;
    }

    private static Assignment Draw(RouteTest test, Visit visit, NextInRotation next, PageId? promised)
    {
        int? proposed =
            promised is { } page && Index(test, page) is >= 0 and var index && test.Weights[index] > 0 ? index : null;
        return test.Allocation == Allocation.Rotation
            ? new(test.Pages[next(test, proposed)], AssignmentKind.Enrols, AssignmentReason.Rotation)
            : new(
                test.Pages[proposed ?? test.Weights.PageAt(HashBucket.Unit(visit.Visitor, test.Id))],
                AssignmentKind.Enrols,
                AssignmentReason.Drawn
            );
    }

    // Whoever was once shown another page than those of the test goes on seeing it.
    private static RoutePage? Known(RouteStep step, RouteTest test, PageId page)
    {
        foreach (var known in test.Pages)
            if (known.Id == page)
                return known;
        return test.Others?.Id == page ? test.Others : step.Tied.Values.FirstOrDefault(known => known.Id == page);
    }

    private static int Index(RouteTest test, PageId page)
    {
        for (var i = 0; i < test.Pages.Count; i++)
            if (test.Pages[i].Id == page)
                return i;
        return -1;
    }

    /// <summary>
    /// Draws from the pages that affiliates may be sent to, by their weights; the control where none of them has any.
    /// </summary>
    private static RoutePage Open(RouteTest test, VisitorId visitor)
    {
        var total = 0;
        for (var i = 0; i < test.Pages.Count; i++)
            if (!test.ClosedToAffiliates.Contains(test.Pages[i].Id))
                total += test.Weights[i];
        var place = HashBucket.Unit(visitor, test.Id) * total;
        for (var i = 0; i < test.Pages.Count; i++)
        {
            if (test.ClosedToAffiliates.Contains(test.Pages[i].Id) || test.Weights[i] == 0)
                continue;
            place -= test.Weights[i];
            if (place < 0)
                return test.Pages[i];
        }
        return test.Fallback;
    }
}
