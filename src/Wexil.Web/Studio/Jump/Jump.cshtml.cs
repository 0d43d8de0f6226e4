using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Store;
using Wexil.Web.Studio.Help;

namespace Wexil.Web.Studio.Jump;

/// <summary>Finds a step, a page or a link by a part of its name.</summary>
public sealed class JumpModel(SearchStore search) : PageModel
{
    /// <summary>Something that was found, and where it is.</summary>
    public sealed record Hit(string Address, string Name, string What);

    [BindProperty(SupportsGet = true)]
    public string Q { get; set; } = "";

    /// <summary>How many are listed; who looks for one of more types more of its name.</summary>
    public const int MaxHits = 50;

    public IReadOnlyList<Hit> Hits { get; private set; } = [];

    public bool HasMore { get; private set; }

    public IActionResult OnGet()
    {
        var words = Q.Trim();
        var slug = words.Contains("/go/", StringComparison.Ordinal)
            ? words[(words.LastIndexOf("/go/", StringComparison.Ordinal) + 4)..]
            : words;
        var found = words.Length == 0 ? [] : search.Find(words, slug, MaxHits + 1);
        (Hits, HasMore) = ([.. found.Take(MaxHits).Select(Shown)], found.Count > MaxHits);
        // What is here is meant first; the guide is for those who look for words.
        if (Hits is [var only])
            return Redirect(only.Address);
        Hits = [.. Hits, .. GuidePages.With(words).Select(page => new Hit($"/guide/{page.Slug}", page.Title, "guide"))];
        return Hits is [var single] ? Redirect(single.Address) : Page();
    }

    private static Hit Shown(SearchHit hit)
    {
        var address = $"/f/{hit.FunnelSlug}/{hit.StepSlug}/build";
        if (hit.Page.Length > 0)
            return new(hit.IsHosted ? $"{address}/{hit.Page}" : address, hit.Name, $"page of {hit.StepName}");
        var place = hit.IsSection ? $"section in {hit.FunnelName}" : $"step of {hit.FunnelName}, /go/{hit.StepSlug}";
        return new(address, hit.Name, place);
    }
}
