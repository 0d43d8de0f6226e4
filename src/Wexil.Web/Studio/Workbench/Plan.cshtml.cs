using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Wording;
using Wexil.Core.Statistics;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Workbench;

/// <summary>How long a test will take, and what could be found in some weeks. The address holds the numbers.</summary>
public sealed class PlanModel : PageModel
{
    private const double ThisYear = 365,
        Long = 28,
        Bold = 0.5;
    private static readonly int[] Weeks = [2, 4, 8];

    /// <summary>In percent, as are the lift, the share and the power.</summary>
    [BindProperty(SupportsGet = true)]
    public double Rate { get; set; } = 3;

    [BindProperty(SupportsGet = true)]
    public double Lift { get; set; } = 20;

    [BindProperty(SupportsGet = true)]
    public double PerDay { get; set; } = 500;

    [BindProperty(SupportsGet = true)]
    public double Share { get; set; } = 100;

    [BindProperty(SupportsGet = true)]
    public int Pages { get; set; } = 2;

    [BindProperty(SupportsGet = true)]
    public double Power { get; set; } = 80;

    /// <summary>Null where something typed cannot be used.</summary>
    public PlanCurve? Curve { get; private set; }

    /// <summary>What other designs take; null as above.</summary>
    public Designs? Designs { get; private set; }

    public string Textbook { get; private set; } = "";

    public IReadOnlyList<(int Weeks, double? Lift)> Found { get; private set; } = [];

    public IReadOnlyList<string> Warnings { get; private set; } = [];

    public void OnGet()
    {
        Check(nameof(Rate), Rate is > 0 and < 100, "Enter a percentage above 0 and below 100.");
        Check(
            nameof(Lift),
            Lift is >= PlanCurve.MinLift and <= PlanCurve.MaxLift,
            $"Enter a percentage from {PlanCurve.MinLift} to {PlanCurve.MaxLift}."
        );
        LiftField.Check(ModelState, nameof(Lift), Rate, Lift);
        Check(nameof(PerDay), PerDay is >= 1 and <= 1e9, "Enter at least one visitor.");
        Check(nameof(Share), Share is > 0 and <= 100, "Enter a percentage above 0 and up to 100.");
        Check(nameof(Pages), Pages is >= 2 and <= 10, "From 2 to 10 pages.");
        Check(nameof(Power), Power is >= 50 and <= 99, "From 50 to 99 percent.");
        if (!ModelState.IsValid)
            return;
        var (rate, daily, power) = (Rate / 100, PerDay * Share / 100, Power / 100);
        Curve = new(rate, daily, Pages, power);
        Designs = new(rate, Lift / 100, daily, Pages, power);
        Textbook = Format.Count(
            Math.Ceiling(Planner.VisitorsPerPage(rate, Planner.BetterRate(rate, Lift / 100), power))
        );
        Found = [.. Weeks.Select(weeks => (weeks, Planner.LiftFound(rate, daily * 7 * weeks, Pages, power)))];
        Warnings = [.. Warn(Curve, new(rate, daily, 2, power))];
    }

    private IEnumerable<string> Warn(PlanCurve own, PlanCurve two)
    {
        var (days, daysOfTwo) = (own.Days(Lift), two.Days(Lift));
        if (days > ThisYear)
            yield return "This test would take more than a year. Test a bolder change, a step with more visitors, or "
                + "a goal that more of them reach.";
        else if (Pages > 2 && daysOfTwo * 2 < days && days > Long)
            yield return $"{Pages} pages are too many for this traffic: two would take "
                + $"{Format.Count((long)Math.Ceiling(daysOfTwo), "day", "days")}.";
        if (Found[^1].Lift is null or > Bold)
            yield return "Even in eight weeks only a very large lift can be found here.";
    }

    public string Written(double value) => value.ToString("0.####", CultureInfo.InvariantCulture);

    private void Check(string field, bool isGood, string problem)
    {
        if (ModelState.TryGetValue(field, out var entry) && entry.Errors.Count > 0)
            entry.Errors.Clear();
        else if (isGood)
            return;
        ModelState.AddModelError(field, problem);
    }
}
