namespace Wexil.Core.Targeting;

/// <summary>Why somebody takes part in a test, or does not.</summary>
public enum AdmissionReason
{
    /// <summary>Takes part: nothing speaks against it.</summary>
    Fits,

    /// <summary>Takes part: a rule on the address takes them in.</summary>
    RuleMet,

    /// <summary>Left out by a rule on the address.</summary>
    RuleAgainst,

    /// <summary>Left out: rules on the address take in, and none is met.</summary>
    NoRuleMet,

    /// <summary>Left out by device.</summary>
    Device,

    /// <summary>Left out by country, or it is not known.</summary>
    Country,

    /// <summary>Left out as a first or a returning visitor.</summary>
    Visit,

    /// <summary>Left out by source, or the link names none.</summary>
    Source,

    /// <summary>Left out by language, or it is not known.</summary>
    Language,
}

/// <summary>Does somebody take part, and why?</summary>
/// <param name="Rule">The rule on the address that says so; null where it is not one of those.</param>
public readonly record struct Admission(AdmissionReason Reason, AddressRule? Rule = null)
{
    /// <summary>Whether the visitor takes part.</summary>
    public bool TakesPart => Reason is AdmissionReason.Fits or AdmissionReason.RuleMet;
}
