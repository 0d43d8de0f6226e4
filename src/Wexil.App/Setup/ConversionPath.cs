using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;
using Wexil.Store;

namespace Wexil.App.Setup;

/// <summary>A place where visitors cannot go on.</summary>
/// <param name="Page">Null where the step has none.</param>
/// <param name="Words">What is missing, as a sentence.</param>
/// <param name="Remedy">What to do about it, for a link.</param>
public sealed record PathGap(Step Step, Page? Page, string Words, string Remedy);

/// <summary>
/// Looks whether visitors who come to a page can get to the step that counts as a conversion at all. Only pages hosted
/// here are read; what outside pages lead to, the check of their tracking script tells.
/// </summary>
public sealed class ConversionPath(FunnelStore funnels, PageStore pages, VisitorsAddress visitors)
{
    /// <summary>What is missing from the tested pages on to the goal; nothing where visitors can convert.</summary>
    /// <param name="tested">Pages of the step.</param>
    /// <param name="goal">A later step.</param>
    public IReadOnlyList<PathGap> Gaps(Step step, IReadOnlyList<Page> tested, Step goal)
    {
        List<PathGap> gaps = [.. tested.Select(page => Gap(step, page)).OfType<PathGap>()];
        foreach (var next in Between(step, goal))
        {
            if (Shown(next) is not { } page)
                gaps.Add(new(next, null, $"“{next.Name}” has no page.", "Add a page"));
            else if (next.Id != goal.Id && Gap(next, page) is { } gap)
                gaps.Add(gap);
        }
        return gaps;
    }

    /// <summary>The steps behind one, up to the goal; none where only a no leads there.</summary>
    private IReadOnlyList<Step> Between(Step step, Step goal)
    {
        var all = funnels.Steps(step.Funnel);
        var passed = new List<Step>();
        var next = FunnelPath.Yes(all, step);
        while (next is not null && next.Id != step.Id && passed.TrueForAll(other => other.Id != next.Id))
        {
            passed.Add(next);
            if (next.Id == goal.Id)
                return passed;
            next = FunnelPath.Yes(all, next);
        }
        return [];
    }

    private Page? Shown(Step step) =>
        step.Page is { } live ? pages.Find(live)
        : pages.ForStep(step.Id) is [var first, ..] ? first
        : null;

    private PathGap? Gap(Step step, Page page)
    {
        if (!page.IsHosted)
            return null;
        string[] tills =
        [
            .. RouteStore.Tills(funnels.Steps(step.Funnel), other =>
                pages.ForStep(other.Id).Select(one => one.Outside)
            ),
        ];
        var plan = new WiringPlan(page.Slug, step.Slug, visitors.Origin, tills);
        if (Wiring.Check(pages.Source(page), plan, step.Kind).LeadsOn)
            return null;
        var (missing, remedy) = step.Kind switch
        {
            StepKind.OptIn => ("no opt-in form and no link to another step", "Add an opt-in form"),
            StepKind.ThankYou => ("no link to another step", "Link to the next step"),
            _ => ("no buy button and no link to another step", "Choose its buy button"),
        };
        return new(step, page, $"“{page.Name}” has {missing}, so nobody gets further.", remedy);
    }
}
