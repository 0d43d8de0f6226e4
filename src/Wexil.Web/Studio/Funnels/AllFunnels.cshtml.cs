using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Studio.Funnels;

/// <summary>By what funnels are sorted.</summary>
public enum FunnelOrder
{
    Newest,
    Name,
    Visitors,
}

/// <summary>Every funnel: searched, sorted, archived and restored. The links of archived ones go on working.</summary>
public sealed class AllFunnelsModel(FunnelStore funnels, TestStore tests, TallyStore tallies) : PageModel
{
    /// <summary>How many are shown at once.</summary>
    public const int MaxCount = 50;

    /// <param name="Running">Tests that are not decided.</param>
    /// <param name="Visitors">Of the first step.</param>
    public sealed record Row(Funnel Funnel, IReadOnlyList<Step> Steps, int Running, long Visitors);

    [BindProperty(SupportsGet = true)]
    public string? Q { get; set; }

    [BindProperty(SupportsGet = true)]
    public FunnelOrder Sort { get; set; }

    /// <summary>Shows those put away.</summary>
    [BindProperty(SupportsGet = true)]
    public bool Archived { get; set; }

    [TempData]
    public string? Done { get; set; }

    /// <summary>Which fifty, from 0.</summary>
    [BindProperty(SupportsGet = true)]
    public int At { get; set; }

    public IReadOnlyList<Row> Rows { get; private set; } = [];

    /// <summary>How many were found, shown or not.</summary>
    public int Found { get; private set; }

    public bool HasMore => Found > (At + 1L) * MaxCount;

    /// <summary>The address of this screen, fifty further or back.</summary>
    public string Further(int at) =>
        $"/funnels?q={Uri.EscapeDataString(Q ?? "")}&sort={Sort}&archived={Archived}&at={at}";

    /// <summary>How many funnels are not put away, and how many are.</summary>
    public (int Active, int Archived) Counts { get; private set; }

    public void OnGet()
    {
        At = Math.Clamp(At, 0, 10_000);
        var (active, archived) = (funnels.All(), funnels.Archived());
        Counts = (active.Count, archived.Count);
        var words = (Q ?? "").Split(' ', StringSplitOptions.RemoveEmptyEntries);
        Funnel[] found =
        [
            .. (Archived ? archived : active).Where(funnel =>
                words.All(word => funnel.Name.Contains(word, StringComparison.OrdinalIgnoreCase))
            ),
        ];
        Found = found.Length;
        var steps = funnels.AllSteps().Where(step => !step.IsArchived).ToLookup(step => step.Funnel);
        var tested = tests.OpenSteps();
        var visitors = tallies.StepVisitors();
        Row RowOf(Funnel funnel)
        {
            Step[] path = [.. steps[funnel.Id].Where(step => !step.IsSection)];
            var first = path.Length > 0 ? visitors.GetValueOrDefault(path[0].Id) : 0;
            return new(funnel, path, steps[funnel.Id].Count(step => tested.Contains(step.Id)), first);
        }
        var rows = found.Select(RowOf);
        Rows =
        [
            .. (
                Sort switch
                {
                    FunnelOrder.Name => rows.OrderBy(row => row.Funnel.Name, StringComparer.OrdinalIgnoreCase),
                    FunnelOrder.Visitors => rows.OrderByDescending(row => row.Visitors),
                    _ => rows.OrderByDescending(row => row.Funnel.Id.Value),
                }
            )
                .Skip(At * MaxCount)
                .Take(MaxCount),
        ];
    }

    [Logged("Archived or restored a funnel")]
    public async Task<IActionResult> OnPostArchiveAsync(long id, bool archives)
    {
        if (!funnels.Every().TryGetValue(new(id), out var funnel))
            return NotFound();
        AuditTrail.Detail(HttpContext, funnel.Name);
        await funnels.ArchiveAsync(funnel.Id, archives);
        Done = $"{Format.Quoted(funnel.Name)} is {(archives ? "archived. Its links still work" : "restored")}.";
        return RedirectToPage(
            new
            {
                Q,
                Sort,
                Archived,
                At,
            }
        );
    }
}
