namespace Wexil.Core.Funnels;

/// <summary>What a visitor has done who reaches a step.</summary>
public enum FunnelOutcome
{
    /// <summary>An e-mail address given.</summary>
    OptIn,

    /// <summary>An order.</summary>
    Sale,
}

/// <summary>Where visitors go from one step to the next.</summary>
public static class FunnelPath
{
    /// <summary>
    /// The step that a yes leads to: the opt-in given, the order made, the offer taken. Null at the end.
    /// </summary>
    /// <param name="steps">The funnel's steps in order.</param>
    public static Step? Yes(IReadOnlyList<Step> steps, Step step)
    {
        if (steps.FirstOrDefault(other => other.Id == step.Yes) is { IsArchived: false } chosen)
            return chosen;
        var later = Later(steps, step);
        // A buyer who took the upsell is not offered the cheaper one.
        return step.Kind == StepKind.Upsell
            ? later.FirstOrDefault(other => other.Kind != StepKind.Downsell)
            : later.FirstOrDefault();
    }

    /// <summary>The step that a no leads to.</summary>
    public static Step? No(IReadOnlyList<Step> steps, Step step) =>
        steps.FirstOrDefault(other => other.Id == step.No) is { IsArchived: false } chosen
            ? chosen
            : Later(steps, step).FirstOrDefault();

    /// <summary>
    /// What reaching a step means: the step behind an opt-in is an opt-in, the one behind a checkout, or behind a sales
    /// page without one, a sale.
    /// </summary>
    public static FunnelOutcome? OutcomeOf(IReadOnlyList<Step> steps, Step step)
    {
        var before = steps
            .Where(other => other.Id != step.Id && !other.IsArchived && Yes(steps, other)?.Id == step.Id)
            .Select(other => other.Kind)
            .ToArray();
        if (before.Contains(StepKind.Checkout) || before.Contains(StepKind.Sales) && step.Kind != StepKind.Checkout)
            return FunnelOutcome.Sale;
        return before.Contains(StepKind.OptIn) ? FunnelOutcome.OptIn : null;
    }

    /// <summary>Can a visitor say no here and still go on?</summary>
    public static bool AsksYesOrNo(this StepKind kind) => kind is StepKind.Upsell or StepKind.Downsell;

    private static IEnumerable<Step> Later(IReadOnlyList<Step> steps, Step step) =>
        steps.Where(other => other.Position > step.Position && !other.IsArchived);
}
