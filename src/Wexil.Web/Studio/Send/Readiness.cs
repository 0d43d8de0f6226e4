using Wexil.App.Installation;
using Wexil.App.Setup;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Pages.Differences;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Send;

/// <summary>Looks before a start whether the test can tell anything. It holds nobody back.</summary>
public sealed class Readiness(ScriptInstallation wiring, ConversionPath path, PageStore pages, SecretStore secrets)
{
    private const string Way = "Way to the goal:";

    /// <param name="shown">The pages of the test, the control first.</param>
    /// <param name="goalStep">The step to be reached; null where the goal is another.</param>
    /// <param name="plan">How long it takes, in words.</param>
    public async Task<IReadOnlyList<ReadyLine>> LookAsync(
        StepScreen screen,
        IReadOnlyList<Page> shown,
        Step? goalStep,
        Goal? goal,
        string plan,
        CancellationToken stop
    )
    {
        var lines = new List<ReadyLine>();
        var outside = shown.Where(page => page.Outside is not null).ToArray();
        var checks = new Dictionary<PageId, PageCheck>();
        foreach (var page in outside)
            checks[page.Id] = await wiring.CheckAsync(
                wiring.Wire(page, screen.Step, isControl: page == shown[0]),
                stop
            );
        // A variation of a section is kept by Wexil wherever its page is.
        if (screen.Step.Host is null)
            lines.Add(outside.Length == 0 ? new("Pages:", true, "All are hosted by Wexil.") : Answer(outside, checks));
        if (outside.Length > 0)
            lines.Add(Wired("Tracking script:", outside, checks));
        lines.Add(await GoalAsync(screen, goalStep, goal, stop));
        if (goal is null && goalStep is not null)
        {
            lines.AddRange(Credited(screen, shown, goalStep));
            if (!screen.Step.IsSection)
                lines.AddRange(
                    path.Gaps(screen.Step, shown, goalStep).Select(gap => new ReadyLine(Way, false, gap.Words))
                );
        }
        lines.Add(new("Weights:", true, "They add up to 100."));
        lines.AddRange(Differ(shown));
        if (plan.Length > 0)
            lines.Add(new("Duration:", null, plan));
        return lines;
    }

    private static ReadyLine Answer(Page[] outside, Dictionary<PageId, PageCheck> checks)
    {
        var silent = outside
            .Where(page => checks[page.Id].Findings[0].Good == false)
            .Select(page => Format.Quoted(page.Name))
            .ToArray();
        var unknown = outside.Any(page => checks[page.Id].Findings[0].Good is null);
        return new(
            "Pages:",
            silent.Length > 0 ? false
                : unknown ? null
                : true,
            silent.Length > 0 ? $"Not responding: {string.Join(", ", silent)}."
                : unknown ? "Pages at private addresses were not checked; you can allow it in Settings."
                : $"{Format.Count(outside.Length, "page hosted elsewhere was", "pages hosted elsewhere were")} checked."
        );
    }

    private static ReadyLine Wired(string what, Page[] outside, Dictionary<PageId, PageCheck> checks)
    {
        var first = outside
            .SelectMany(page =>
                checks[page.Id]
                    .Findings.Where(finding => finding.Good == false)
                    .Select(finding => $"{Format.Quoted(page.Name)}: {finding.Words}")
            )
            .FirstOrDefault();
        var unknown = outside.Any(page => checks[page.Id].Findings.Count == 1);
        return new(
            what,
            first is not null ? false
                : unknown ? null
                : true,
            first ?? (unknown ? "Some pages could not be checked." : "All pages have it.")
        );
    }

    private async Task<ReadyLine> GoalAsync(StepScreen screen, Step? step, Goal? goal, CancellationToken stop)
    {
        const string what = "Goal:";
        if (goal is { Kind: GoalKind.Sale })
            return secrets.HookSecret is null
                ? new(
                    what,
                    false,
                    "No payment service is connected: create a secret in Settings. Sales added by hand or "
                        + "imported still count."
                )
                : new(what, true, "Ready to receive sales from your payment service.");
        if (goal is { Kind: GoalKind.OptIn })
            return screen.Pages.Any(page => page.Outside is null)
                ? new(what, true, "Counted by forms on hosted pages.")
                : new(what, false, "No page of this step is hosted by Wexil, so no form can count opt-ins.");
        if (goal is { Kind: GoalKind.Click or GoalKind.Address })
            return new(what, null, "Counted by the tracking script; the first conversion will show on Count.");
        if (goal is not null || step is null)
            return new(
                what,
                null,
                "Counted when the signal arrives; its address is under Goals. A picture needs the token in its "
                    + "address (?wx=), since most browsers block Wexil’s cookie on other sites."
            );
        if (step.Page is not { } id || pages.Find(id) is not { } page)
            return pages.ForStep(step.Id).Count > 0
                ? new(what, null, $"{Format.Quoted(step.Name)} is not live yet: leave “Also make live” ticked.")
                : new(what, false, $"{Format.Quoted(step.Name)} has no page yet.");
        if (page.Outside is null)
            return new(what, true, $"{Format.Quoted(step.Name)} is hosted by Wexil.");
        return Checked(what, page, await wiring.CheckAsync(wiring.Wire(page, step, isControl: false), stop));
    }

    private static ReadyLine Checked(string what, Page page, PageCheck check)
    {
        var name = Format.Quoted(page.Name);
        if (check.Findings.FirstOrDefault(finding => finding.Good == false) is { } bad)
            return new(what, false, $"{name}: {bad.Words} {bad.Mend}");
        return check.Findings.Count == 1
            ? new(what, null, $"{name} could not be checked.")
            : new(what, true, $"{name} responds and has the tracking script.");
    }

    /// <summary>Whether browsers let visitors of the tested pages be credited on the goal's page.</summary>
    private IEnumerable<ReadyLine> Credited(StepScreen screen, IReadOnlyList<Page> shown, Step step)
    {
        if (step.Page is not { } id || pages.Find(id) is not { Outside: not null } page || wiring.IsRecognized(step))
            yield break;
        var apart = Hosts.Apart(
            shown,
            page,
            leadsByLink: FunnelPath.Yes([.. screen.Steps], screen.Step)?.Id == step.Id
        );
        if (apart.Count == 0)
            yield break;
        var names = string.Join(", ", apart.Select(other => Format.Quoted(other.Name)));
        yield return new(
            "Visitors recognized:",
            null,
            $"{names} and {Format.Quoted(page.Name)} are on different hosts, and most browsers do not share "
                + $"cookies between them. Link to it by /go/{step.Slug}, or pass the token on; see Tracking script."
        );
    }

    private IEnumerable<ReadyLine> Differ(IReadOnlyList<Page> shown)
    {
        if (shown[0].Outside is not null || shown.Count < 2)
            yield break;
        var control = pages.Source(shown[0]);
        foreach (var page in shown.Skip(1).Where(page => page.Outside is null))
        {
            var changes = PageDifferences.Between(control, pages.Source(page)).Changes.Count;
            yield return new(
                $"{page.Name} compared with the control:",
                changes switch
                {
                    0 => false,
                    1 => true,
                    _ => null,
                },
                changes switch
                {
                    0 => "Nothing differs, so there is nothing to test.",
                    1 => "One thing differs: if it wins, you know why.",
                    _ => $"{Format.Count(changes)} things differ: if it wins, you will not know which change did it.",
                }
            );
        }
    }
}
