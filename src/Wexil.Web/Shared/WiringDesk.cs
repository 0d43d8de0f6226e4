using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Store;
using Wexil.Web.Shared.Fetching;

namespace Wexil.Web.Shared;

/// <summary>An outside page and how it is wired.</summary>
/// <param name="Loader">What is pasted besides, where a test begins on the page itself; null elsewhere.</param>
/// <param name="Seen">When a real visitor's browser last told of it.</param>
public sealed record WiredPage(Page Page, Step Step, string Line, string? Loader, PageCheck? Check, DateTimeOffset? Seen);

/// <summary>Knows what has to be pasted into which outside page, and looks whether it was.</summary>
public sealed class WiringDesk(FunnelStore funnels, PageStore pages, TestStore tests, WiringStore wiring, LastSeen seen, PageFetcher fetcher, VisitorsAddress visitors, TimeProvider time)
{
    /// <summary>A page is not asked again before so long has passed.</summary>
    private static readonly TimeSpan Pause = TimeSpan.FromSeconds(5);

    public Uri Script => new($"{visitors.Origin}/wexil.js");

    public string Line => $"<script src=\"{Script}\" defer></script>";

    /// <summary>The outside pages of a funnel, in order of its steps.</summary>
    public IReadOnlyList<WiredPage> Of(FunnelId funnel)
    {
        var checks = wiring.Checks();
        var controls = tests.Open().ToDictionary(test => test.Step, test => test.Pages[0]);
        return [.. funnels.Steps(funnel).Where(step => !step.IsArchived).SelectMany(step => pages.Of(step.Id).Where(page => page.Outside is not null).Select(page => new WiredPage(
            page, step, Line, controls.TryGetValue(step.Id, out var control) && control == page.Id ? StartLoader.For(step.Slug, visitors.Origin, page.Outside!) : null,
            checks.GetValueOrDefault(page.Id), seen.Last(page.Id))))];
    }

    /// <summary>Fetches a page and looks how it is wired.</summary>
    public async Task<PageCheck> CheckAsync(Page page, CancellationToken stop)
    {
        if (wiring.Checks().GetValueOrDefault(page.Id) is { } last && time.GetUtcNow() - last.At < Pause) return last;
        var (found, problem) = await fetcher.PageAsync(page.Outside!, stop);
        IReadOnlyList<Finding> findings = found is null
            ? [new("The page answers", problem == PageFetcher.NotAsked ? null : false, problem!, problem == PageFetcher.NotAsked ? "Allow private addresses in the settings, if this is your own network." : "Open it in a browser; when it works there, try again in a minute.")]
            : [new("The page answers", true, "Yes."), .. ScriptCheck.Of(found.Html, found.Address, Script, found.Policies)];
        var check = new PageCheck(page.Id, time.GetUtcNow(), findings);
        await wiring.SaveAsync(check);
        return check;
    }
}
