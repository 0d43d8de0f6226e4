using Microsoft.AspNetCore.Mvc;
using Wexil.App.Drafts;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Pages.Importing;
using Wexil.Pages.Source;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Funnels;

/// <summary>
/// The order of a funnel's steps, where each leads, and what can be done with a step or with the whole funnel.
/// </summary>
public sealed class FunnelStepsModel(
    FunnelStore funnels,
    PageStore pages,
    TestStore tests,
    TallyStore tallies,
    TypedAddress addresses,
    SectionWriter sections
) : FunnelPageModel(funnels)
{
    private const int MaxNameLength = 80;

    public IReadOnlyList<Step> All { get; private set; } = [];

    public IEnumerable<Step> Steps => All.Where(step => !step.IsArchived);

    /// <summary>Steps with pages of which nobody has said yet that one is live.</summary>
    public IReadOnlyList<Step> NotLive => Funnels.NotLive(Funnel.Id);

    public IEnumerable<Step> Archived => All.Where(step => step.IsArchived);

    public IReadOnlyDictionary<StepId, long> Visitors { get; private set; } = new Dictionary<StepId, long>();

    public IReadOnlySet<StepId> Tested { get; private set; } = new HashSet<StepId>();

    public void OnGet()
    {
        // What is shown is read beforehand.
    }

    [Logged("Made a step live")]
    public async Task<IActionResult> OnPostLiveAsync()
    {
        await Funnels.GoLiveAsync(Funnel.Id);
        Done = "The funnel is live. Its links show the pages from now on.";
        return RedirectToPage();
    }

    /// <summary>Puts the steps in the order given: the way of dragging.</summary>
    [Logged("Changed the order of steps")]
    public async Task<IActionResult> OnPostOrderAsync(long[] order)
    {
        await Funnels.OrderAsync(Funnel.Id, [.. order.Select(id => new StepId(id))]);
        return new NoContentResult();
    }

    /// <summary>Moves a step by one place: the way of keys, and without script.</summary>
    [Logged("Changed the order of steps")]
    public async Task<IActionResult> OnPostMoveAsync(long id, bool down)
    {
        var order = Steps.Select(step => step.Id).ToList();
        var at = order.IndexOf(new(id));
        var to = down ? at + 1 : at - 1;
        if (at < 0)
            return NotFound();
        if (to < 0 || to >= order.Count)
            return RedirectToPage();
        (order[at], order[to]) = (order[to], order[at]);
        await Funnels.OrderAsync(Funnel.Id, order);
        Done = "Steps reordered. Each step keeps its permanent link.";
        return RedirectToPage();
    }

    [Logged("Changed a step")]
    public async Task<IActionResult> OnPostChangeAsync(long id, string? name, StepKind kind, long? yes, long? no)
    {
        if (Find(id) is not { } step)
            return NotFound();
        if (string.IsNullOrWhiteSpace(name) || name.Trim().Length > MaxNameLength)
        {
            ModelState.AddModelError(
                $"name-{id}",
                string.IsNullOrWhiteSpace(name) ? "Enter a name for the step." : $"At most {MaxNameLength} characters."
            );
            return Page();
        }
        AuditTrail.Detail(HttpContext, name.Trim());
        await Funnels.ChangeStepAsync(step.Id, name.Trim(), kind, Target(yes, step), Target(no, step));
        Done = $"{Format.Quoted(name.Trim())} saved. Its link is still /go/{step.Slug}.";
        return RedirectToPage();
    }

    [Logged("Cloned a step")]
    public async Task<IActionResult> OnPostCloneAsync(long id)
    {
        if (Find(id) is not { } step)
            return NotFound();
        AuditTrail.Detail(HttpContext, step.Name);
        var clone = await Funnels.CloneStepAsync(step, $"{step.Name}, copy");
        Done =
            $"{Format.Quoted(clone.Name)} added after it with its own link: /go/{clone.Slug}. Its pages are "
            + "clones of the originals.";
        return RedirectToPage();
    }

    [Logged("Archived a step")]
    public async Task<IActionResult> OnPostArchiveAsync(long id, string? forward)
    {
        if (Find(id) is not { } step)
            return NotFound();
        if (Tested.Contains(step.Id))
        {
            ModelState.AddModelError(
                $"archive-{id}",
                "A test is running on this step. Keep a page first, then archive the step."
            );
            return Page();
        }
        Uri? address = null;
        if (!string.IsNullOrWhiteSpace(forward))
        {
            (address, var problem) = addresses.Read(forward, step.Slug);
            if (problem is not null)
            {
                ModelState.AddModelError($"archive-{id}", problem);
                return Page();
            }
        }
        AuditTrail.Detail(HttpContext, step.Name);
        await Funnels.ArchiveStepAsync(step.Id, address?.AbsoluteUri);
        Done = address is null
            ? $"{Format.Quoted(step.Name)} is archived. Its link still shows its page."
            : $"{Format.Quoted(step.Name)} is archived. Its link now leads to {address}.";
        return RedirectToPage();
    }

    [Logged("Restored a step")]
    public async Task<IActionResult> OnPostRestoreAsync(long id)
    {
        if (Find(id) is not { } step)
            return NotFound();
        AuditTrail.Detail(HttpContext, step.Name);
        await Funnels.RestoreStepAsync(step.Id);
        Done = $"{Format.Quoted(step.Name)} is restored.";
        return RedirectToPage();
    }

    [Logged("Renamed a funnel")]
    public async Task<IActionResult> OnPostRenameAsync(string? funnelName)
    {
        if (string.IsNullOrWhiteSpace(funnelName) || funnelName.Trim().Length > MaxNameLength)
        {
            ModelState.AddModelError(
                nameof(funnelName),
                string.IsNullOrWhiteSpace(funnelName)
                    ? "Enter a name for the funnel."
                    : $"At most {MaxNameLength} characters."
            );
            return Page();
        }
        AuditTrail.Detail(HttpContext, $"to {funnelName.Trim()}");
        await Funnels.RenameAsync(Funnel.Id, funnelName.Trim());
        return RedirectToPage();
    }

    [Logged("Cloned a funnel")]
    public async Task<IActionResult> OnPostCloneFunnelAsync()
    {
        var plain = sections.Plain(Funnel.Id);
        var clone = await Funnels.CloneAsync(Funnel, $"{Funnel.Name}, copy", (html, slugs) =>
            PageLinks.Rename(plain(html), slugs)
        );
        Done =
            $"This is a clone of {Format.Quoted(Funnel.Name)} with new links. Its pages are clones of the originals.";
        return Redirect($"/f/{clone.Slug}/steps");
    }

    [Logged("Archived or restored a funnel")]
    public async Task<IActionResult> OnPostArchiveFunnelAsync(bool archived)
    {
        await Funnels.ArchiveAsync(Funnel.Id, archived);
        Done = archived ? "Funnel archived. Its links still work and its tests still count." : "Funnel restored.";
        return RedirectToPage();
    }

    /// <summary>The whole funnel as a .zip of plain HTML, files and funnel.json.</summary>
    public IActionResult OnGetExport()
    {
        var steps = Steps.ToList();
        int? Place(StepId? id) => steps.FindIndex(step => step.Id == id) is >= 0 and var place ? place : null;
        var plan = new FunnelPlan(
            Funnel.Name,
            [
                .. steps.Select(step =>
                {
                    var own = pages.ForStep(step.Id).ToList();
                    return new FunnelStep(
                        step.Kind,
                        step.Name,
                        step.Slug,
                        [
                            .. own.Select(page => new FunnelPage(
                                page.Name,
                                page.IsHosted ? new(sections.Files(page, Funnel.Id), page.Entry!) : null,
                                page.Outside,
                                own.FindIndex(other => other.Id == page.Parent) is >= 0 and var parent ? parent : null,
                                page.IsIndexed
                            )),
                        ],
                        Place(step.Yes),
                        Place(step.No),
                        Math.Max(0, own.FindIndex(page => page.Id == step.Page))
                    );
                }),
            ]
        );
        return File(FunnelArchive.Write(plan), "application/zip", $"{Funnel.Slug}.zip");
    }

    /// <summary>Where a step leads on, as a sentence.</summary>
    public string LeadsTo(Step step)
    {
        var yes = FunnelPath.Yes(All, step)?.Name;
        if (!step.Kind.AsksYesOrNo())
            return yes is null ? "the end" : $"→ {yes}";
        return $"yes → {yes ?? "the end"}, no → {FunnelPath.No(All, step)?.Name ?? "the end"}";
    }

    private Step? Find(long id) => All.FirstOrDefault(step => step.Id.Value == id);

    private StepId? Target(long? id, Step from) =>
        id is { } to && Find(to) is { } step && step.Id != from.Id ? step.Id : null;

    protected override void Read()
    {
        All = Funnels.Steps(Funnel.Id);
        Visitors = tallies.StepVisitors();
        Tested = tests.Open().Select(test => test.Step).ToHashSet();
    }
}
