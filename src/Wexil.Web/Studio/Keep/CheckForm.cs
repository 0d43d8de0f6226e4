using Microsoft.AspNetCore.Mvc.ModelBinding;
using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.SplitTests;

namespace Wexil.Web.Studio.Keep;

/// <summary>How a kept page is checked, as it is chosen.</summary>
public sealed class CheckForm
{
    /// <summary>The shares and weeks that can be chosen.</summary>
    public static readonly IReadOnlyList<int> Shares = [CheckPlan.MinShare, 10, 15, CheckPlan.MaxShare],
        WeekCounts = [CheckPlan.MinWeeks, 2, 3, 4, 6, 8, CheckPlan.MaxWeeks];

    public bool On { get; set; }
    public int Share { get; set; }
    public int Weeks { get; set; }
    public bool TakesBack { get; set; }

    /// <param name="plan">Null for none, and then what is proposed is filled in.</param>
    public static CheckForm From(CheckPlan? plan)
    {
        var shown = plan ?? CheckPlan.Default;
        return new()
        {
            On = plan is not null,
            Share = shown.Share,
            Weeks = shown.Weeks,
            TakesBack = shown.TakesBack,
        };
    }

    /// <summary>Reads it, or says by the fields what is wrong; null then, and where no check is asked for.</summary>
    public CheckPlan? Read(ModelStateDictionary state, string prefix)
    {
        if (!On)
            return null;
        if (Share is < CheckPlan.MinShare or > CheckPlan.MaxShare)
            state.AddModelError(
                $"{prefix}.{nameof(Share)}",
                $"Choose {CheckPlan.MinShare} to {CheckPlan.MaxShare} percent."
            );
        if (Weeks is < CheckPlan.MinWeeks or > CheckPlan.MaxWeeks)
            state.AddModelError(
                $"{prefix}.{nameof(Weeks)}",
                $"Choose {CheckPlan.MinWeeks} to {CheckPlan.MaxWeeks} weeks."
            );
        return state.IsValid ? new(Share, Weeks, TakesBack) : null;
    }
}

/// <summary>The fields of a check in a form.</summary>
/// <param name="Name">In front of the names of the fields.</param>
/// <param name="Id">In front of their ids: a screen may have several.</param>
/// <param name="Reading">The test that keeps the page.</param>
public sealed record CheckFields(CheckForm Form, string Name, string Id, TestReading Reading)
{
    /// <summary>The page that goes on being seen.</summary>
    public string Replaced => Reading.Result.Control.Page.Name;

    /// <summary>What checks of two sizes find; empty where too few come for either.</summary>
    public string Finds
    {
        get
        {
            if (Found(CheckPlan.MaxShare, CheckPlan.MaxWeeks) is not { } most)
                return "";
            var usual = Found(CheckPlan.Default.Share, CheckPlan.Default.Weeks) is { } found
                ? $"{Size(CheckPlan.Default.Share, CheckPlan.Default.Weeks)} finds a difference of {found}, "
                : "";
            return $"At the traffic of the last 7 days, {usual}{Size(CheckPlan.MaxShare, CheckPlan.MaxWeeks)} "
                + $"{(usual.Length > 0 ? "one" : "finds a difference")} of {most}. A smaller one shows as a range.";
        }
    }

    private static string Size(int share, int weeks) => $"{share}% for {Format.Count(weeks, "week", "weeks")}";

    private string? Found(int share, int weeks)
    {
        var (facts, control) = (Reading.Result.Facts, Reading.Result.Control.Standard.Rate);
        var rate = control is > 0 and < 1 ? control : facts.BaseRate;
        return new CheckPlan(share, weeks, false).LiftFound(rate, facts.VisitorsPerDay) is { } lift
            ? Locale.Current.Percent(Locale.Current.Brief(lift * 100, 0))
            : null;
    }
}
