using System.Collections.Concurrent;
using Wexil.App.Background;
using Wexil.App.Fetching;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;
using Wexil.Store;

namespace Wexil.App.Installation;

/// <summary>A section that may be on an outside page, and the line that is pasted in front of the part.</summary>
/// <param name="Asked">When a line of it last asked, on whichever page; null for never.</param>
public sealed record InstalledSection(Step Section, string Line, DateTimeOffset? Asked);

/// <summary>An outside page and how it is wired.</summary>
/// <param name="Loader">What is pasted besides, where a test begins on the page itself; null elsewhere.</param>
/// <param name="Note">That its visitors come from another host, and what to do; null where they do not.</param>
/// <param name="Seen">When a real visitor's browser last told of it.</param>
/// <param name="Asked">When the start lines of the page last asked; null where it has none.</param>
public sealed record InstalledPage(
    Page Page,
    Step Step,
    string Line,
    string? Loader,
    Finding? Note,
    PageCheck? Check,
    DateTimeOffset? Seen,
    DateTimeOffset? Asked
)
{
    /// <summary>The sections of its step.</summary>
    public IReadOnlyList<InstalledSection> Sections { get; init; } = [];
}

/// <summary>Knows what has to be pasted into which outside page, and looks whether it was.</summary>
public sealed class ScriptInstallation(
    FunnelStore funnels,
    PageStore pages,
    TestStore tests,
    InstallationStore wiring,
    LastSeen seen,
    PageFetcher fetcher,
    VisitorsAddress visitors,
    YieldingThreads threads,
    TimeProvider time
) : IDisposable
{
    private const string Responds = "Page responds";

    // A page takes many times its size until it is judged. Whoever has a helper's link does not hold up the owner.
    private readonly SemaphoreSlim _owners = new(2),
        _helpers = new(1);

    // Several who press the button at once wait for one look.
    private readonly ConcurrentDictionary<(PageId, bool), Lazy<Task<PageCheck>>> _looking = [];

    /// <summary>The address of the script for outside pages.</summary>
    public Uri Script => new($"{visitors.Origin}/wexil.js");

    /// <summary>The line that goes into every outside page.</summary>
    public string Line => $"<script src=\"{Script}\" defer></script>";

    /// <summary>The outside pages of a funnel, in order of its steps.</summary>
    public IReadOnlyList<InstalledPage> ForFunnel(FunnelId funnel)
    {
        var checks = wiring.Checks();
        var controls = tests.Open().ToDictionary(test => test.Step, test => test.Pages[0]);
        var steps = funnels.Steps(funnel).Where(step => !step.IsArchived).ToArray();
        var sections = funnels.Sections(funnel).Where(section => !section.IsArchived).ToLookup(section => section.Host);
        var recognized = wiring.Recognized(funnel);
        var onSteps = steps.ToDictionary(step => step.Id, step => pages.ForStep(step.Id));
        return
        [
            .. steps.SelectMany(step =>
                onSteps[step.Id]
                    .Where(page => page.Outside is not null)
                    .Select(page =>
                    {
                        var isControl =
                            (controls.TryGetValue(step.Id, out var control) ? control : step.Page) == page.Id;
                        var before = steps
                            .TakeWhile(other => other.Id != step.Id)
                            .SelectMany(other => onSteps[other.Id])
                            .ToArray();
                        return Wire(page, step, isControl) with
                        {
                            Sections = [.. sections[step.Id].Select(Install)],
                            Check = checks.GetValueOrDefault(page.Id) is { } check ? Judged(check, step) : null,
                            Note = recognized.Contains(step.Id)
                                ? null
                                : Hosts.Note(page, step, before, visitors.Link(step.Slug)),
                        };
                    })
            ),
        ];
    }

    private InstalledSection Install(Step section) =>
        new(
            section,
            SectionLoader.For(section.Slug, visitors.Origin, section.StartWait),
            seen.LastSection(section.Slug)
        );

    /// <summary>What a page needs, as the control of its step's test or not.</summary>
    public InstalledPage Wire(Page page, Step step, bool isControl)
    {
        var starts = step.StartsOnPage && isControl;
        var loader = starts ? StartLoader.For(step.Slug, visitors.Origin, page.Outside!, step.StartWait) : null;
        return new(page, step, Line, loader, null, null, seen.Last(page.Id), starts ? seen.LastStart(step.Slug) : null);
    }

    /// <summary>Fetches a page and looks how it is wired.</summary>
    /// <param name="isHelpers">Somebody asks who has a link, and no place in the team.</param>
    public async Task<PageCheck> CheckAsync(InstalledPage wired, CancellationToken stop, bool isHelpers = false)
    {
        var key = (wired.Page.Id, isHelpers);
        var places = isHelpers ? _helpers : _owners;
        var look = _looking.GetOrAdd(key, _ => new(() => threads.RunAsync(() => LookAsync(wired, places))));
        try
        {
            return Judged(await look.Value.WaitAsync(stop), wired.Step);
        }
        finally
        {
            if (look.Value.IsCompleted)
                _looking.TryRemove(new(key, look));
        }
    }

    /// <summary>Most visitors of a step are known from an earlier one, whatever browsers do with cookies.</summary>
    public bool IsRecognized(Step step) => wiring.Recognized(step.Funnel).Contains(step.Id);

    private PageCheck Judged(PageCheck check, Step step) =>
        ProvenByVisits.Apply(check, seen.Last(check.Page), seen.LastStart(step.Slug));

    // Whoever asked may go away; others may be waiting, and the fetcher's own patience bounds it.
    private async Task<PageCheck> LookAsync(InstalledPage wired, SemaphoreSlim places)
    {
        await places.WaitAsync();
        try
        {
            return await LookAsync(wired);
        }
        finally
        {
            places.Release();
        }
    }

    private async Task<PageCheck> LookAsync(InstalledPage wired)
    {
        var page = wired.Page;
        var (found, problem) = await fetcher.PageAsync(page.Outside!, CancellationToken.None);
        IReadOnlyList<Finding> findings = found is null ? [Silent(problem!)] : Judge(wired, found);
        var check = new PageCheck(page.Id, time.GetUtcNow(), findings);
        await wiring.SaveAsync(check);
        if (found is not null)
            await wiring.SaveFoundAsync(page.Id, found.Address);
        return check;
    }

    private static Finding Silent(string problem) =>
        problem == PageFetcher.NotAsked
            ? new(Responds, null, problem, "If this is your own network, allow private addresses in Settings.")
            : new(Responds, false, problem, "Open it in a browser; if it works there, try again in a minute.");

    private IReadOnlyList<Finding> Judge(InstalledPage wired, FoundPage found)
    {
        var outside = new OutsideDocument(found.Html, found.Address, found.Policies);
        var home = new Uri(visitors.Origin);
        var sections = wired.Sections.ToDictionary(section => section.Section.Slug, section => section.Section.Name);
        return
        [
            new(Responds, true, "Yes."),
            .. Led(wired.Page.Outside!, found.Address, wired.Step),
            .. ScriptCheck.Check(outside, Script),
            .. wired.Loader is { } lines ? StartLines.Check(outside, lines, home) : [],
            .. OutsideWays.Check(outside, found.Robots, home, Neighbors(wired.Step)),
            .. SectionLines.Check(outside, sections, home),
        ];
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        _owners.Dispose();
        _helpers.Dispose();
    }

    private IReadOnlyList<NeighborPage> Neighbors(Step step) =>
        [
            .. funnels
                .Steps(step.Funnel)
                .Where(other => other.Id != step.Id && !other.IsArchived)
                .SelectMany(other =>
                    pages
                        .ForStep(other.Id)
                        .Where(page => page.Outside is not null)
                        .Select(page => new NeighborPage(
                            other.Name,
                            visitors.Link(other.Slug),
                            new OutsideAddress(page.Outside!)
                        ))
                ),
        ];

    /// <summary>Says where a page leads by itself.</summary>
    private IEnumerable<Finding> Led(Uri asked, Uri found, Step step)
    {
        if (new OutsideAddress(found).IsSamePlace(new(asked)))
            yield break;
        const string what = "No redirect";
        if (found.GetLeftPart(UriPartial.Authority).Equals(visitors.Origin, StringComparison.OrdinalIgnoreCase))
            yield return new(
                what,
                false,
                $"The page leads to {found}, which is here: visitors of /go/{step.Slug} would be redirected in a loop.",
                "Remove the redirect, or enter the page’s final address."
            );
        else
            yield return new(
                what,
                null,
                $"The page leads to {found}. Visitors are counted there.",
                "If the redirect drops the link’s parameters, visitors cannot be recognized there. In that case "
                    + "enter the final address."
            );
    }
}
