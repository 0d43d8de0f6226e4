using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Pages.Source;

namespace Wexil.Pages.Importing;

/// <summary>Gives a funnel that comes in links which are free here.</summary>
public static class FreeLinks
{
    /// <summary>The same funnel with other links where its own are taken; the pages' links follow.</summary>
    public static FunnelPlan WithFreeLinks(this FunnelPlan plan, Func<string, bool> taken)
    {
        var names = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var step in plan.Steps)
            names[step.Slug] = Slug.Free(step.Slug, slug => taken(slug) || names.ContainsValue(slug));
        var renamed = names.Where(name => name.Key != name.Value).ToDictionary();
        return renamed.Count == 0
            ? plan
            : plan with
            {
                Steps =
                [
                    .. plan.Steps.Select(step =>
                        step with
                        {
                            Slug = names[step.Slug],
                            Pages =
                            [
                                .. step.Pages.Select(page =>
                                    page.Bundle is { } bundle ? page with { Bundle = Renamed(bundle, renamed) } : page
                                ),
                            ],
                        }
                    ),
                ],
            };
    }

    private static PageBundle Renamed(PageBundle bundle, Dictionary<string, string> names)
    {
        var source = bundle.Source(bundle.Entry);
        var changed = PageLinks.Rename(source, names);
        return changed == source
            ? bundle
            : bundle with
            {
                Files =
                [
                    .. bundle.Files.Select(file =>
                        file.Path == bundle.Entry
                            ? file with
                            {
                                Content = System.Text.Encoding.UTF8.GetBytes(changed),
                            }
                            : file
                    ),
                ],
            };
    }
}
