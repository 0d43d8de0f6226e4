using Microsoft.AspNetCore.Mvc;
using Wexil.App.Rehearsals;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Store;
using Wexil.Store.Recording;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Rehearsals;

/// <summary>What the rehearsal visitors met at one step.</summary>
/// <param name="Came">Visitors who were shown one of its pages.</param>
/// <param name="Pages">Its pages by name, each with its visitors.</param>
/// <param name="Gave">Opt-ins recorded.</param>
/// <param name="Bought">Orders recorded of its buy buttons.</param>
public sealed record RehearsedStep(
    Step Step,
    int Came,
    IReadOnlyList<(string Name, int Visitors)> Pages,
    int Gave,
    int Bought
);

/// <summary>Sends rehearsal visitors through a funnel and shows where each went and what was recorded.</summary>
public sealed class RehearsalModel(
    FunnelStore funnels,
    PageStore pages,
    RehearsalStore rehearsals,
    RehearsalDirector director
) : FunnelPageModel(funnels)
{
    private Dictionary<PageId, Page> _pages = [];
    private Dictionary<StepId, Step> _sections = [];

    /// <summary>Null where none was sent, or it was wiped.</summary>
    public Rehearsal? Shown { get; private set; }

    public bool IsUnderWay { get; private set; }

    public IReadOnlyList<Step> Steps { get; private set; } = [];

    /// <summary>How many are to be sent.</summary>
    [BindProperty]
    public int Count { get; set; } = RehearsalDirector.DefaultVisitors;

    /// <summary>Fills in the checkout's own order form.</summary>
    [BindProperty]
    public bool FillsIn { get; set; }

    public int Arrived => Shown!.Visitors.Count(visitor => visitor.Problem == "");

    public int Ended => Shown!.Visitors.Count(visitor => visitor.Problem is not null);

    /// <summary>What has to be mended, each with how many visitors met it; the most frequent first.</summary>
    public IReadOnlyList<(string Problem, int Visitors)> Problems =>
        [
            .. Shown!
                .Visitors.SelectMany(visitor => ProblemsOf(visitor).Distinct())
                .CountBy(problem => problem)
                .OrderByDescending(problem => problem.Value)
                .Select(problem => (problem.Key, problem.Value)),
        ];

    public IReadOnlyList<RehearsedStep> ByStep => [.. Steps.Select(At)];

    /// <summary>The visitor whose way is open at first: one with a problem, else the first.</summary>
    public RehearsalVisitor? Opened =>
        Shown!.Visitors.FirstOrDefault(visitor => ProblemsOf(visitor).Any())
        ?? (Shown.Visitors is [var first, ..] ? first : null);

    public string Words(RehearsalLine line) =>
        line.Request?.Words
        ?? RehearsalWording.Recorded(
            line,
            line.Page is { } page ? NameOf(page) : null,
            line.Step is { } step ? _sections.GetValueOrDefault(step)?.Name : null
        );

    /// <summary>A request is written down when it is answered, and what was recorded of it comes before that.</summary>
    public static IEnumerable<RehearsalLine> InOrder(IEnumerable<RehearsalLine> lines)
    {
        var recorded = new List<RehearsalLine>();
        foreach (var line in lines)
        {
            if (line.Request is null)
            {
                recorded.Add(line);
                continue;
            }
            yield return line;
            foreach (var own in recorded)
                yield return own;
            recorded.Clear();
        }
        foreach (var late in recorded)
            yield return late;
    }

    public void OnGet() { }

    public IActionResult OnGetProgress() =>
        new JsonResult(new { ended = Shown is null ? 0 : Ended, over = !IsUnderWay });

    [Logged("Started a rehearsal", IsWork = true)]
    public async Task<IActionResult> OnPostSendAsync()
    {
        if (!ModelState.IsValid || Count is < 1 or > RehearsalDirector.MaxVisitors)
        {
            ModelState.Remove(nameof(Count));
            ModelState.AddModelError(nameof(Count), $"Enter a number from 1 to {RehearsalDirector.MaxVisitors}.");
            return Page();
        }
        if (Steps.Count == 0)
            return RedirectToPage();
        await director.StartAsync(Funnel.Id, Count, FillsIn);
        return RedirectToPage();
    }

    [Logged("Stopped a rehearsal", IsWork = true)]
    public IActionResult OnPostStop()
    {
        director.Stop(Funnel.Id);
        return RedirectToPage();
    }

    [Logged("Wiped a rehearsal")]
    public async Task<IActionResult> OnPostWipeAsync()
    {
        await director.WipeAsync(Funnel.Id);
        Done = "The rehearsal is wiped.";
        return RedirectToPage();
    }

    protected override void Read()
    {
        // Asked first: a rehearsal that ends in between is shown as one that is over the next time.
        IsUnderWay = director.IsUnderWay(Funnel.Id);
        Shown = rehearsals.Find(Funnel.Id);
        Steps = [.. Funnels.Steps(Funnel.Id).Where(step => !step.IsArchived)];
        _sections = Funnels.Sections(Funnel.Id).ToDictionary(section => section.Id);
        _pages = Steps
            .Concat(_sections.Values)
            .SelectMany(step => pages.ForStep(step.Id))
            .ToDictionary(page => page.Id);
    }

    private IEnumerable<string> ProblemsOf(RehearsalVisitor visitor)
    {
        if (visitor.Problem is { Length: > 0 } problem)
            yield return problem;
        foreach (var line in visitor.Lines)
            if (RehearsalWording.IsProblem(line) && line.Request is not { Status: not null })
                yield return $"{Words(line)}{(line.Request is { } found ? $": {found.Address.Host}" : "")}.";
    }

    private RehearsedStep At(Step step)
    {
        var seen = Shown!
            .Visitors.SelectMany(visitor =>
                visitor
                    .Lines.Where(line => line.Step == step.Id)
                    .Where(line => line.Recorded is EventKind.Visit or EventKind.Enrol or EventKind.Apart)
                    .Select(line => (visitor.Number, line.Page))
            )
            .Distinct()
            .ToArray();
        return new(
            step,
            seen.Select(visit => visit.Number).Distinct().Count(),
            [
                .. seen.Where(visit => visit.Page is not null)
                    .CountBy(visit => visit.Page!.Value)
                    .Select(page => (NameOf(page.Key), page.Value)),
            ],
            Lines(EventKind.OptIn).Count(line => line.Step == step.Id),
            Lines(EventKind.Sale)
                .Count(line => line.Page is { } page && _pages.GetValueOrDefault(page)?.Step == step.Id)
        );
    }

    private IEnumerable<RehearsalLine> Lines(EventKind kind) =>
        Shown!.Visitors.SelectMany(visitor => visitor.Lines).Where(line => line.Recorded == kind);

    private string NameOf(PageId page) => _pages.GetValueOrDefault(page)?.Name ?? "a page that is no longer here";
}
