using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.SplitTests;
using Wexil.Core.Targeting;
using Wexil.Store;
using Wexil.Web.Studio.Goals;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Send;

/// <summary>
/// The form of a test: what stands in it at first, and what was typed, read with every problem by its field.
/// </summary>
public abstract class TestFormModel(StepScreens screens, SettingStore settings, OwnerTime clock)
    : StepPageModel(screens)
{
    public const int MaxPages = 10,
        MinFloor = 1,
        MaxFloor = 50;

    protected SettingStore Settings => settings;

    protected OwnerTime Clock => clock;

    /// <summary>A page as it stands in the form.</summary>
    public sealed class Row
    {
        public long Page { get; set; }
        public bool In { get; set; }
        public int? Weight { get; set; }
        public bool Closed { get; set; }
    }

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

    /// <summary>What counts where no later step is chosen.</summary>
    [BindProperty(Name = nameof(MainGoal))]
    public GoalForm MainGoal { get; set; } = new();

    /// <summary>In percent; null where the step has no past to take it from, and nobody has said.</summary>
    [BindProperty]
    [Required(ErrorMessage = "Enter your best guess. It is corrected once there are results.")]
    [Range(0.01, 99, ErrorMessage = "Enter a percentage from 0.01 to 99.")]
    public double? BaseRate { get; set; }

    [BindProperty]
    [Range(1, 500, ErrorMessage = "Enter a percentage from 1 to 500.")]
    public double SmallestLift { get; set; } = 20;

    [BindProperty]
    public Allocation Allocation { get; set; }

    /// <summary>The least that a page gets while weights follow the evidence, in percent.</summary>
    [BindProperty]
    [Range(MinFloor, MaxFloor, ErrorMessage = "Enter a whole percentage from 1 to 50.")]
    public int Floor { get; set; } = TestSettings.DefaultFloor;

    [BindProperty]
    [Range(1, 100, ErrorMessage = "Enter a whole percentage from 1 to 100.")]
    public int Share { get; set; } = 100;

    // With a name of their own these are never filled from what belongs to others.
    [BindProperty(Name = nameof(Who))]
    public AudienceForm Who { get; set; } = new();

    [BindProperty]
    public long? Others { get; set; }

    [BindProperty]
    public string? From { get; set; }

    [BindProperty]
    public string? Until { get; set; }

    [BindProperty]
    public bool RestsFailing { get; set; }

    public string PageName(long page) =>
        Screen.Pages.Concat(Screen.Testing?.Pages ?? []).FirstOrDefault(p => p.Id.Value == page)?.Name
        ?? "an archived page";

    /// <summary>The rows of the pages that are in the test, the control first.</summary>
    protected Row[] Chosen() =>
        [
            .. Rows.Where(row => row.In && Screen.Pages.Any(page => page.Id.Value == row.Page))
                .OrderBy(row => row.Page != Control),
        ];

    /// <summary>What counts; null where it is a later step.</summary>
    protected Goal? ReadMainGoal() =>
        Goal == 0 ? MainGoal.Read(ModelState, nameof(MainGoal), Screen, settings.Currency) : null;

    protected Weights? CheckWeights(IReadOnlyList<Row> rows)
    {
        if (rows.Count > MaxPages)
            ModelState.AddModelError(nameof(Rows), $"At most {MaxPages} pages in one test.");
        var (weights, problem) = Weights.Check([.. rows.Select(row => row.Weight ?? 0)]);
        if (problem is not null)
            ModelState.AddModelError(nameof(Rows), problem);
        return weights;
    }

    protected (TestSettings Sending, DateTimeOffset? From) ReadSending(IReadOnlyList<Row> rows, SplitTest? test)
    {
        var audience = Who.Read(ModelState, nameof(Who));
        var (from, fromProblem) = LocalMoment.Parse(From, settings.Zone);
        var (until, untilProblem) = LocalMoment.Parse(Until, settings.Zone);
        if (fromProblem is not null)
            ModelState.AddModelError(nameof(From), fromProblem);
        if (untilProblem is not null)
            ModelState.AddModelError(nameof(Until), untilProblem);
        // The form knows minutes; an end that was not touched stays as it was.
        if (
            test?.Settings.Until is { } before
            && until is { } same
            && (before - same).Duration() < TimeSpan.FromMinutes(1)
        )
            until = before;
        if (test is not null && from is { } start && (test.StartedAt - start).Duration() < TimeSpan.FromMinutes(1))
            from = test.StartedAt;
        if (until is { } end && until != test?.Settings.Until && end <= clock.Now)
            ModelState.AddModelError(nameof(Until), "This time is in the past.");
        if (until is { } last && last <= (from ?? test?.StartedAt ?? clock.Now))
            ModelState.AddModelError(nameof(Until), "The end must be after the start.");
        if (Others is { } others && Screen.Pages.All(page => page.Id.Value != others))
            ModelState.AddModelError(nameof(Others), "Choose a page of this step.");
        PageId[] closed = [.. rows.Where(row => row.Closed).Select(row => new PageId(row.Page))];
        if (closed.Length > 0 && closed.Length == rows.Count)
            ModelState.AddModelError(nameof(Rows), "Leave at least one page open to affiliates.");
        return (
            new(Allocation, Share, audience, Others is { } page ? new PageId(page) : null, closed, RestsFailing, until)
            {
                Floor = Floor,
            },
            from
        );
    }

    protected void FillFrom(SplitTest test)
    {
        Rows =
        [
            .. test.Pages.Select(
                (page, i) =>
                    new Row
                    {
                        Page = page.Value,
                        In = true,
                        Weight = test.Weights[i],
                        Closed = test.Settings.Closed.Contains(page),
                    }
            ),
            .. Screen
                .Pages.Where(page => !test.Pages.Contains(page.Id))
                .Select(page => new Row { Page = page.Id.Value, Weight = 0 }),
        ];
        (Allocation, Floor, Share, Others, RestsFailing) = (
            test.Settings.Allocation,
            test.Settings.Floor,
            test.Settings.Share,
            test.Settings.Others?.Value,
            test.Settings.RestsFailing
        );
        (BaseRate, SmallestLift) = (test.ExpectedRate * 100, test.SmallestLift * 100);
        Who = AudienceForm.From(test.Settings.Audience);
        From = LocalMoment.Write(test.StartedAt, settings.Zone);
        Until = test.Settings.Until is { } until ? LocalMoment.Write(until, settings.Zone) : null;
    }

    protected void FillAnew()
    {
        var chosen = Screen.Pages.OrderBy(page => page.Id != Screen.Step.Page).ThenBy(page => page.Id.Value).ToArray();
        // The page shown now against the newest: what was cloned last is what somebody wants to try.
        var newest = chosen.Skip(1).LastOrDefault();
        Rows =
        [
            .. chosen.Select(
                (page, i) =>
                    new Row
                    {
                        Page = page.Id.Value,
                        In = i == 0 || page == newest,
                        Weight = i == 0 || page == newest ? 50 : 0,
                    }
            ),
        ];
        Control = chosen.FirstOrDefault()?.Id.Value ?? 0;
        // Whoever declines an upsell reaches the next step too.
        var isOffer = Screen.Step.Kind is StepKind.Upsell or StepKind.Downsell;
        var next = isOffer ? null : Screen.LaterSteps.FirstOrDefault();
        Goal = next?.Id.Value ?? 0;
        MainGoal.Kind = isOffer ? GoalKind.Sale : MainGoal.Kind;
        BaseRate = PastRate(next) is { } rate ? Math.Round(rate * 100, 1) : null;
        Who = AudienceForm.From(Audience.Everyone);
    }

    /// <summary>
    /// The share of this step's visitors who went on to another before; null where too few came to tell.
    /// </summary>
    public double? PastRate(Step? goal) => Screen.PastRate(goal);

    /// <summary>What pages of this kind bring as a rule, for somebody who has no figure of their own.</summary>
    public string RateHint =>
        Screen.Step.Kind switch
        {
            StepKind.OptIn => "Opt-in pages usually convert 10 to 40%.",
            StepKind.Sales => "Sales pages usually convert 1 to 5%.",
            StepKind.Upsell or StepKind.Downsell => "Upsells usually convert 5 to 25%.",
            _ => "",
        } + " It is corrected by the rate of all pages together, from 25 conversions on.";
}
