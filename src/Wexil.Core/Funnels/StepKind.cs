namespace Wexil.Core.Funnels;

/// <summary>What a place on the visitor's path is for.</summary>
public enum StepKind
{
    OptIn,
    Sales,
    Checkout,
    Upsell,
    Downsell,
    ThankYou,
    Other,
}

/// <summary>What kinds of steps are called, and what reaching one means.</summary>
public static class StepKinds
{
    /// <summary>The kind in the trade's words, as a label on screens.</summary>
    public static string Words(this StepKind kind) =>
        kind switch
        {
            StepKind.OptIn => "opt-in",
            StepKind.ThankYou => "thank-you",
            _ => kind.ToString().ToLowerInvariant(),
        };

    /// <summary>
    /// What reaching the step after one of this kind counts as, in the plural and the singular: "opt-ins", "opt-in".
    /// </summary>
    public static (string Many, string One) ConversionWords(this StepKind kind) =>
        kind switch
        {
            StepKind.OptIn => ("opt-ins", "opt-in"),
            StepKind.Sales or StepKind.Checkout or StepKind.Upsell or StepKind.Downsell => ("sales", "sale"),
            _ => ("conversions", "conversion"),
        };
}
