using Microsoft.AspNetCore.Mvc.ModelBinding;
using Wexil.App.Wording;
using Wexil.Core.Statistics;

namespace Wexil.Web.Studio.Shared;

/// <summary>The lift that a test is planned for, as it is typed beside the expected rate.</summary>
public static class LiftField
{
    /// <summary>Refuses a lift that no page can have; nothing where one of the two was refused already.</summary>
    /// <param name="rate">Expected, in percent.</param>
    /// <param name="lift">In percent of the rate.</param>
    public static void Check(ModelStateDictionary state, string field, double rate, double lift)
    {
        if (rate is not (> 0 and < 100) || state.GetFieldValidationState(field) == ModelValidationState.Invalid)
            return;
        var most = Planner.HighestLift(rate / 100) * 100;
        if (lift > most)
            state.AddModelError(
                field,
                $"Of {Shown(rate)} who convert, at most {Shown(most)} more can: no page converts more than everyone."
            );
    }

    private static string Shown(double percent) => Locale.Current.Percent(Locale.Current.Brief(percent, 1));
}
