using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Wexil.Core.Evidence;
using Wexil.Core.Funnels;
using Wexil.Core.Splits;
using Wexil.Store;
using Wexil.Web.Shared;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Send;

/// <summary>The link, and how its visitors are split.</summary>
public sealed class SendModel(StepScreens screens, TestStore tests, TallyStore tallies, VisitorsAddress visitors, Routes routes) : StepPageModel(screens)
{
    public const int MostPages = 10;

    /// <summary>A page as it stands in the form.</summary>
    public sealed class Row
    {
        public long Page { get; set; }
        public bool In { get; set; }
        public int? Weight { get; set; }
    }

    public override string Stage => "send";

    public string Link => visitors.Link(Screen.Step.Slug);

    public double VisitorsPerDay { get; private set; }

    [BindProperty]
    public List<Row> Rows { get; set; } = [];

    [BindProperty]
    public long Control { get; set; }

    [BindProperty]
    [MaxLength(80, ErrorMessage = "At most 80 characters.")]
    public string? Name { get; set; }

    [BindProperty]
    [MaxLength(400, ErrorMessage = "At most 400 characters.")]
    public string? Idea { get; set; }

    [BindProperty]
    public long Goal { get; set; }

    [BindProperty]
    [Range(0.01, 99, ErrorMessage = "A percentage from 0.01 to 99.")]
    public double BaseRate { get; set; }

    [BindProperty]
    [Range(1, 500, ErrorMessage = "A percentage from 1 to 500.")]
    public double SmallestLift { get; set; } = 20;

    /// <summary>About how many visitors the test will take in all.</summary>
    public double PlannedVisitors
    {
        get
        {
            var rate = Math.Clamp(BaseRate / 100, 0.0001, 0.99);
            return Planner.PeekSafeTotal(rate, Math.Min(rate * (1 + SmallestLift / 100), (1 + rate) / 2), Math.Max(2, Rows.Count(row => row.In)));
        }
    }

    public string PageName(long page) => Screen.Pages.Single(p => p.Id.Value == page).Name;

    public void OnGet()
    {
        VisitorsPerDay = tallies.VisitorsPerDay(Screen.Step.Id);
        if (Screen.Running is { } running)
        {
            Rows = [.. running.Test.Pages.Select((page, i) => new Row { Page = page.Value, In = true, Weight = running.Test.Weights[i] })];
            return;
        }
        var chosen = Screen.Pages.OrderBy(page => page.Id != Screen.Step.Page).ThenBy(page => page.Id.Value).ToArray();
        // The page shown now against the newest: what was cloned last is what somebody wants to try.
        var newest = chosen.Skip(1).LastOrDefault();
        Rows = [.. chosen.Select((page, i) => new Row { Page = page.Id.Value, In = i == 0 || page == newest, Weight = i == 0 || page == newest ? 50 : 0 })];
        Control = chosen.FirstOrDefault()?.Id.Value ?? 0;
        Goal = Screen.LaterSteps.FirstOrDefault()?.Id.Value ?? 0;
        BaseRate = Math.Round(UsualRate() * 100, 1);
    }

    public async Task<IActionResult> OnPostStartAsync()
    {
        VisitorsPerDay = tallies.VisitorsPerDay(Screen.Step.Id);
        if (Screen.IsRunning) return Redirect(Screen.Address("send"));
        var chosen = Rows.Where(row => row.In && Screen.Pages.Any(page => page.Id.Value == row.Page)).OrderBy(row => row.Page != Control).ToArray();
        var weights = CheckWeights(chosen);
        if (chosen.Length > MostPages) ModelState.AddModelError(nameof(Rows), $"At most {MostPages} pages in one test.");
        if (chosen.Length > 0 && chosen[0].Page != Control) ModelState.AddModelError(nameof(Control), "The control is one of the pages in the test.");
        if (Screen.LaterSteps.All(step => step.Id.Value != Goal)) ModelState.AddModelError(nameof(Goal), "Choose the step that counts as a conversion.");
        if (!ModelState.IsValid) return Page();

        var name = string.IsNullOrWhiteSpace(Name) ? PageName(chosen[^1].Page) : Name.Trim();
        var plan = new TestPlan(
            Screen.Step.Id, new(Goal), name, Idea?.Trim() ?? "", BaseRate / 100, SmallestLift / 100, [.. chosen.Select(row => new PageId(row.Page))], weights!);
        if (await tests.StartAsync(plan) is null)
        {
            ModelState.AddModelError(nameof(Rows), "A test was started on this step a moment ago. Load the page again.");
            return Page();
        }
        routes.Reload();
        Done = $"The test runs. From now on /go/{Screen.Step.Slug} splits its visitors {weights}.";
        return Redirect(Screen.Address("send"));
    }

    public async Task<IActionResult> OnPostWeightsAsync()
    {
        VisitorsPerDay = tallies.VisitorsPerDay(Screen.Step.Id);
        ModelState.Remove(nameof(BaseRate));
        ModelState.Remove(nameof(SmallestLift));
        if (Screen.Running is not { } running) return Redirect(Screen.Address("send"));
        var rows = running.Test.Pages.Select(page => Rows.FirstOrDefault(row => row.Page == page.Value) ?? new Row { Page = page.Value }).ToArray();
        var weights = CheckWeights(rows);
        Rows = [.. rows];
        if (!ModelState.IsValid) return Page();
        if (!weights!.Equals(running.Test.Weights)) await tests.ChangeWeightsAsync(running.Test.Id, weights);
        routes.Reload();
        Done = $"New visitors are split {weights}. Everyone enrolled before stays on their page, and the counts so far stay: a new phase has begun.";
        return Redirect(Screen.Address("send"));
    }

    private Weights? CheckWeights(IReadOnlyList<Row> rows)
    {
        var (weights, problem) = Weights.Check([.. rows.Select(row => row.Weight ?? 0)]);
        if (problem is not null) ModelState.AddModelError(nameof(Rows), problem);
        return weights;
    }

    private double UsualRate()
    {
        if (Screen.LaterSteps.FirstOrDefault() is { } next && Screen.Visitors.GetValueOrDefault(Screen.Step.Id) is > 200 and var visitors
            && Screen.Visitors.GetValueOrDefault(next.Id) is > 0 and var onward && onward < visitors) return (double)onward / visitors;
        return Screen.Step.Kind switch { StepKind.OptIn => 0.25, StepKind.Sales => 0.03, StepKind.Upsell or StepKind.Downsell => 0.15, _ => 0.1 };
    }
}
