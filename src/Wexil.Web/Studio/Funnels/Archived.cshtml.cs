using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Core.Funnels;
using Wexil.Store;

namespace Wexil.Web.Studio.Funnels;

/// <summary>Funnels that are put away. Their links go on working.</summary>
public sealed class ArchivedModel(FunnelStore funnels) : PageModel
{
    public IReadOnlyList<Funnel> Funnels { get; private set; } = [];

    public void OnGet() => Funnels = funnels.Archived();
}
