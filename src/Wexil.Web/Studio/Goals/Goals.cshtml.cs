using Microsoft.AspNetCore.Mvc;
using Wexil.App;
using Wexil.Core.Common;
using Wexil.Core.Goals;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Goals;

/// <summary>What counts in a test, besides the goal that its verdict goes by.</summary>
public sealed class GoalsModel(StepScreens screens, GoalStore goals, SettingStore settings, VisitorsAddress visitors)
    : StepPageModel(screens)
{
    public override string Stage => "count";

    public Currency Currency => settings.Currency;

    [BindProperty(Name = nameof(Form))]
    public GoalForm Form { get; set; } = new();

    [BindProperty]
    public string? TryAddress { get; set; }

    /// <summary>What trying an address said.</summary>
    public (bool Matches, string Why)? Tried { get; private set; }

    /// <summary>Where a goal's signal is told.</summary>
    public string Signal(TestGoalRow goal) => $"{visitors.Origin}/signal/{goal.Key}";

    public void OnGet() { }

    [Logged("Added a goal")]
    public async Task<IActionResult> OnPostAddAsync()
    {
        if (Screen.Open is not { } open)
            return Redirect(Screen.Address("goals"));
        if (Form.Read(ModelState, nameof(Form), Screen, Currency) is not { } goal)
            return Page();
        AuditTrail.Detail(HttpContext, goal.Name);
        if (await goals.AddAsync(open.Test.Id, goal))
        {
            Done =
                $"“{goal.Name}” counts from now on."
                + (
                    open.Result.Total.Visitors == 0
                        ? ""
                        : " Visitors who came before are not part of it, because they may have done it already. "
                            + "A new phase has started."
                );
            return Redirect(Screen.Address("goals"));
        }
        ModelState.AddModelError(
            $"{nameof(Form)}.{nameof(Form.Name)}",
            $"A test has at most {GoalStore.MaxPerTest} goals. Remove one first."
        );
        return Page();
    }

    /// <summary>Tries an address on the goal as it stands in the form, saved or not.</summary>
    [Logged(null)]
    public IActionResult OnPostTry()
    {
        ModelState.Clear();
        if (Form.Pattern().Problem() is { } problem)
            ModelState.AddModelError($"{nameof(Form)}.{nameof(Form.Address)}", problem);
        else
            Tried = Form.Pattern().Judge(TryAddress?.Trim() ?? "");
        Form.Kind = GoalKind.Address;
        return Page();
    }

    [Logged("Deleted a goal")]
    public async Task<IActionResult> OnPostDropAsync(long goal)
    {
        if (Screen.Open is { } open)
        {
            await goals.DropAsync(open.Test.Id, new(goal));
            Done = "Goal removed. What it counted stays in the event log.";
        }
        return Redirect(Screen.Address("goals"));
    }
}
