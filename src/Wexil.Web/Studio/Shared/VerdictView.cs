using Wexil.Core.Results;

namespace Wexil.Web.Studio.Shared;

/// <summary>How screens show a verdict, besides its words.</summary>
public static class VerdictView
{
    /// <summary>The class of its label.</summary>
    public static string Tone(VerdictKind kind) =>
        kind switch
        {
            VerdictKind.Problem => "bad",
            VerdictKind.TooEarly or VerdictKind.Waiting => "wait",
            _ => "good",
        };
}
