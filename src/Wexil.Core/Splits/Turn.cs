using Wexil.Core.Funnels;

namespace Wexil.Core.Splits;

/// <summary>Where a visitor was put in a test: the page, once and for all.</summary>
public readonly record struct Place(PageId Page, PhaseId? Phase);

/// <summary>What a visit to a link means for the count.</summary>
public enum TurnKind
{
    /// <summary>No test here, or the visitor already has a place in it.</summary>
    Plain,

    /// <summary>The visitor takes a place in the running test now.</summary>
    Enrols,

    /// <summary>The test is decided and this visitor sees the page kept, so must stay out of it should the verdict be taken back.</summary>
    Apart,
}

/// <summary>Which page a visitor is shown at a step, and what is to be recorded about it.</summary>
public readonly record struct Turn(RoutePage Page, TurnKind Kind)
{
    /// <summary>
    /// Decides. A running test shows a visitor the page of their place, whatever the weights are now, and draws for anybody
    /// new; otherwise everybody sees the step's page. Null when the step has no page at all.
    /// </summary>
    public static Turn? Take(RouteStep step, VisitorId visitor, Place? place)
    {
        if (step.Test is not { } test) return step.Page is null ? null : new(step.Page, TurnKind.Plain);
        if (test.Phase is null) return step.Page is null ? null : new(step.Page, TurnKind.Apart);
        if (place is { } taken && test.Pages.FirstOrDefault(page => page.Id == taken.Page) is { } own) return new(own, TurnKind.Plain);
        return new(test.Pages[test.Weights.PageAt(Draw.Unit(visitor, test.Id))], TurnKind.Enrols);
    }
}
