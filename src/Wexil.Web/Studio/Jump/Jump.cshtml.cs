using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Core.Funnels;
using Wexil.Store;
using Wexil.Web.Studio.Help;

namespace Wexil.Web.Studio.Jump;

/// <summary>Finds a step, a page or a link by a part of its name.</summary>
public sealed class JumpModel(FunnelStore funnels, PageStore pages) : PageModel
{
    public sealed record Hit(string Address, string Name, string What);

    [BindProperty(SupportsGet = true)]
    public string Q { get; set; } = "";

    public IReadOnlyList<Hit> Hits { get; private set; } = [];

    public IActionResult OnGet()
    {
        var words = Q.Trim();
        var slug = words.Contains("/go/", StringComparison.Ordinal)
            ? words[(words.LastIndexOf("/go/", StringComparison.Ordinal) + 4)..]
            : words;
        var all = funnels.Every();
        bool Fits(string name) => words.Length > 0 && name.Contains(words, StringComparison.OrdinalIgnoreCase);
        Hits =
        [
            .. funnels
                .AllSteps()
                .SelectMany(step =>
                {
                    var funnel = all[step.Funnel];
                    var address = $"/f/{funnel.Slug}/{step.Slug}/build";
                    var own =
                        Fits(step.Name) || Fits(step.Slug) || step.Slug == slug || Fits(funnel.Name)
                            ? new[] { new Hit(address, step.Name, Place(funnel, step)) }
                            : [];
                    return own.Concat(
                        pages
                            .ForStep(step.Id)
                            .Where(page => Fits(page.Name) || page.Slug == slug)
                            .Select(page => new Hit(
                                page.IsHosted ? $"{address}/{page.Slug}" : address,
                                page.Name,
                                $"page of {step.Name}"
                            ))
                    );
                }),
        ];
        // What is here is meant first; the guide is for those who look for words.
        if (Hits is [var only])
            return Redirect(only.Address);
        Hits = [.. Hits, .. GuidePages.With(words).Select(page => new Hit($"/guide/{page.Slug}", page.Title, "guide"))];
        return Hits is [var found] ? Redirect(found.Address) : Page();
    }

    private static string Place(Funnel funnel, Step step) =>
        step.IsSection ? $"section in {funnel.Name}" : $"step of {funnel.Name}, /go/{step.Slug}";
}
