using Wexil.App.Wording;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Store;

namespace Wexil.App.Results;

/// <summary>What came of a test, in a few words.</summary>
public sealed record VerdictLine(StoredVerdict Verdict, SplitTest Test)
{
    /// <summary>As it stood when the page was kept.</summary>
    public Evidence Evidence { get; } = Evidence.Parse(Verdict.Evidence);

    /// <summary>It was not taken back.</summary>
    public bool Stands => Verdict.TakenBackAt is null;

    /// <summary>The place of the page kept among those of the test; 0 is the control.</summary>
    public int Place => Test.Pages.TakeWhile(page => page != Verdict.Page).Count();

    /// <summary>Of all pages together.</summary>
    public long Visitors => Evidence.Pages.Sum(page => page.Visitors);

    /// <summary>"kept B, +15%", or "kept B, +29% (expect +18%)".</summary>
    public string Result
    {
        get
        {
            if (Place == 0)
                return Evidence.Kind == nameof(VerdictKind.NoDifference) ? "no difference found" : "control kept";
            var (control, kept) = (Evidence.Pages[0], Evidence.Pages[Place]);
            if (kept.Difference is not { } difference || control.Rate <= 0)
                return $"kept {kept.Letter}";
            var expected = kept.Expected is { } less ? $" (expect {Format.Lift(less / control.Rate)})" : "";
            return $"kept {kept.Letter}, {Format.Lift(difference / control.Rate)}{expected}";
        }
    }
}
