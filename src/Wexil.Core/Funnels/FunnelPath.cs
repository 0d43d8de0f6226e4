namespace Wexil.Core.Funnels;

/// <summary>Where visitors go from one step to the next.</summary>
public static class FunnelPath
{
    /// <summary>The step that a yes leads to: the opt-in given, the order made, the offer taken. Null at the end.</summary>
    /// <param name="steps">The funnel's steps in order.</param>
    public static Step? Yes(IReadOnlyList<Step> steps, Step step)
    {
        if (steps.FirstOrDefault(other => other.Id == step.Yes) is { IsArchived: false } chosen) return chosen;
        var later = Later(steps, step);
        // Who took the upsell is not offered the cheaper one.
        return step.Kind == StepKind.Upsell ? later.FirstOrDefault(other => other.Kind != StepKind.Downsell) : later.FirstOrDefault();
    }

    /// <summary>The step that a no leads to.</summary>
    public static Step? No(IReadOnlyList<Step> steps, Step step) =>
        steps.FirstOrDefault(other => other.Id == step.No) is { IsArchived: false } chosen ? chosen : Later(steps, step).FirstOrDefault();

    /// <summary>Can a visitor say no here and still go on?</summary>
    public static bool AsksYesOrNo(this StepKind kind) => kind is StepKind.Upsell or StepKind.Downsell;

    private static IEnumerable<Step> Later(IReadOnlyList<Step> steps, Step step) => steps.Where(other => other.Position > step.Position && !other.IsArchived);
}
