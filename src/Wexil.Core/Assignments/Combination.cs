using Wexil.Core.Common;

namespace Wexil.Core.Assignments;

/// <summary>Settles what a visitor sees of several sections where some versions never go together.</summary>
public static class Combination
{
    /// <summary>
    /// Each section is drawn by itself. Two draws that do not go together give way to what both sections fall back to;
    /// and a visitor counts in a section's test only where the other draws leave every version of it possible. So of
    /// those who count, as many see each version as its weight says, and all else they see is alike.
    /// </summary>
    /// <param name="section">The section to settle.</param>
    /// <param name="drawn">Its own draw.</param>
    /// <param name="others">What the visitor was drawn for in the other sections of the page, or sees there.</param>
    public static Assignment Settle(RouteStep section, Assignment drawn, IReadOnlyList<PageId> others)
    {
        if (drawn.Kind != AssignmentKind.Enrols || section.Test is not { } test)
            return drawn;
        if (others.Any(other => section.IsExcluded(drawn.Page.Id, other)))
            return new(test.Fallback, AssignmentKind.Apart, AssignmentReason.Combination);
        for (var i = 0; i < test.Pages.Count; i++)
            if (test.Weights[i] > 0 && others.Any(other => section.IsExcluded(test.Pages[i].Id, other)))
                return drawn with { Kind = AssignmentKind.Apart, Reason = AssignmentReason.Combination };
        return drawn;
    }
}
