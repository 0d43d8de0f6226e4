namespace Wexil.Core.Funnels;

/// <summary>What a place on the visitor's path is for.</summary>
public enum StepKind
{
    /// <summary>Asks for an e-mail address.</summary>
    OptIn,

    /// <summary>Sells.</summary>
    Sales,

    /// <summary>Takes the order.</summary>
    Checkout,

    /// <summary>Offers more to whoever has bought.</summary>
    Upsell,

    /// <summary>Offers something smaller to whoever said no.</summary>
    Downsell,

    /// <summary>Thanks for an opt-in or an order.</summary>
    ThankYou,

    /// <summary>Any other place on the path.</summary>
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
    /// What reaching a later step counts as, in the plural and the singular: "opt-ins", "opt-in". Whoever comes to a
    /// checkout has bought nothing yet, and whoever declines an upsell goes on too.
    /// </summary>
    /// <param name="goal">The kind of the step that is reached.</param>
    public static (string Many, string One) ConversionWords(this StepKind kind, StepKind goal) =>
        (kind, goal) switch
        {
            (StepKind.OptIn, _) => ("opt-ins", "opt-in"),
            (StepKind.Sales or StepKind.Checkout, StepKind.ThankYou or StepKind.Upsell or StepKind.Downsell) => (
                "sales",
                "sale"
            ),
            _ => ("conversions", "conversion"),
        };
}
