using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Store;

namespace Wexil.Web.Studio.People;

/// <summary>Who opted in, and on which page.</summary>
public sealed class PeopleModel(LeadStore leads) : PageModel
{
    public const int Most = 200;

    public IReadOnlyList<Lead> Leads { get; private set; } = [];

    public void OnGet() => Leads = leads.Newest(Most);
}
