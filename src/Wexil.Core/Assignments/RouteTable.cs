using System.Collections.Frozen;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.SplitTests;
using Wexil.Core.Targeting;

namespace Wexil.Core.Assignments;

/// <summary>A page as the visitors' side needs it: its own address, and where it lives when that is outside.</summary>
/// <param name="Revision">Goes up with every change of a hosted page's content.</param>
/// <param name="Outside">The address of an outside page; null for a hosted one.</param>
public sealed record RoutePage(PageId Id, StepId Step, string Slug, int Revision, OutsideAddress? Outside)
{
    /// <summary>
    /// Where the outside page leads by a redirect, and its visitors are seen; null where it stays at its address.
    /// </summary>
    public OutsideAddress? LeadsTo { get; init; }

    /// <summary>The funnel of its step.</summary>
    public FunnelId Funnel { get; init; }

    /// <summary>Visitors are seen at its outside address: until its funnel is archived.</summary>
    public bool HoldsAddress { get; init; } = true;

    /// <summary>The slug of the step that it stands on.</summary>
    public string Link { get; init; } = "";

    /// <summary>The addresses where its funnel takes money; links to them are buy buttons.</summary>
    public IReadOnlyList<string> Tills { get; init; } = [];

    /// <summary>
    /// What besides its content the page is made of, in one text that is made once and compared at every visit.
    /// </summary>
    public string WiringKey { get; init; } = "";

    /// <summary>Search engines may list it under its own address.</summary>
    public bool IsIndexed { get; init; }
}

/// <summary>A test that is not decided, or one that was and could be taken up again.</summary>
/// <param name="Phase">The phase new visitors are enrolled in; null while the test is paused, and once it is
/// decided.</param>
/// <param name="Weights">Those in force: a page that rests because it does not answer has none.</param>
public sealed record RouteTest(TestId Id, PhaseId? Phase, IReadOnlyList<RoutePage> Pages, Weights Weights, int Control)
{
    /// <summary>When it starts, and when it ends by itself.</summary>
    public DateTimeOffset From { get; init; } = DateTimeOffset.MinValue;

    /// <summary>When the test ends by itself; null for when it is decided.</summary>
    public DateTimeOffset Until { get; init; } = DateTimeOffset.MaxValue;

    /// <summary>How pages are drawn.</summary>
    public Allocation Allocation { get; init; }

    /// <summary>How many of a hundred visitors take part, 1 to 100.</summary>
    public int Share { get; init; } = 100;

    /// <summary>Who takes part.</summary>
    public Audience Audience { get; init; } = Audience.Everyone;

    /// <summary>What people outside the audience see; null for the control.</summary>
    public RoutePage? Others { get; init; }

    /// <summary>Pages that do not answer and rest until they do.</summary>
    public IReadOnlySet<PageId> Resting { get; init; } = new HashSet<PageId>();

    /// <summary>Pages that affiliates' visitors are not sent to.</summary>
    public IReadOnlySet<PageId> ClosedToAffiliates { get; init; } = new HashSet<PageId>();

    /// <summary>Does the test enrol visitors at a moment?</summary>
    public bool RunsAt(DateTimeOffset moment) => Phase is not null && From <= moment && moment < Until;

    /// <summary>The control, or while it does not answer the first page that does.</summary>
    public RoutePage Fallback =>
        Resting.Contains(Pages[Control].Id)
            ? Pages.FirstOrDefault(page => !Resting.Contains(page.Id)) ?? Pages[Control]
            : Pages[Control];
}

/// <summary>
/// A step: the page everybody sees while nothing is tested, its test if any, and the links that a yes and a no lead to.
/// </summary>
/// <param name="Forward">Where everybody is sent instead, once the step is archived and its owner says so.</param>
public sealed record RouteStep(
    StepId Id,
    string Slug,
    RoutePage? Page,
    RouteTest? Test,
    string? YesSlug,
    string? NoSlug = null,
    string? Forward = null
)
{
    /// <summary>The funnel that the step is in.</summary>
    public FunnelId Funnel { get; init; }

    /// <summary>
    /// The step on whose pages the section is; null for a step with a link. A section's pages are the versions of a
    /// part of those.
    /// </summary>
    public StepId? Host { get; init; }

    /// <summary>It is a section and no place on the path.</summary>
    public bool IsSection => Host is not null;

    /// <summary>
    /// For versions of the section, those of other sections that they are never shown with. What a test falls back to
    /// goes with everything.
    /// </summary>
    public IReadOnlyDictionary<PageId, IReadOnlySet<PageId>> Excluded { get; init; } =
        FrozenDictionary<PageId, IReadOnlySet<PageId>>.Empty;

    /// <summary>Is a version of this section never shown with one of another?</summary>
    public bool IsExcluded(PageId own, PageId other) =>
        Excluded.GetValueOrDefault(own) is { } excluded && excluded.Contains(other);

    /// <summary>Every page that a visitor may be shown here.</summary>
    public IReadOnlyList<RoutePage> Candidates =>
        field ??= [
            .. new[] { Page, Test?.Others }
                .OfType<RoutePage>()
                .Concat(Test?.Pages ?? [])
                .Concat(Tied.Values)
                .Distinct(),
        ];

    /// <summary>The same as long as those pages, and their content, are the same.</summary>
    public string VersionsKey =>
        field ??= string.Join('+', Candidates.Select(page => $"{page.Id.Value}.{page.Revision}"));

    /// <summary>Which parameters of the link travel on to the page.</summary>
    public CarriedParameters Carries { get; init; } = CarriedParameters.All;

    /// <summary>The test starts on the control's own page too, where the link's visitors have to be known.</summary>
    public bool StartsOnPage { get; init; }

    /// <summary>Hosted pages are shown at their own address and not at the link.</summary>
    public bool Redirects { get; init; }

    /// <summary>The one page that visitors of a source see, by the source's tag.</summary>
    public IReadOnlyDictionary<string, RoutePage> Tied { get; init; } = FrozenDictionary<string, RoutePage>.Empty;

    /// <summary>The tags of sources that are affiliates.</summary>
    public IReadOnlySet<string> Affiliates { get; init; } = FrozenSet<string>.Empty;

    /// <summary>The sources that are ad networks, by tag.</summary>
    public IReadOnlyDictionary<string, RouteNetwork> Networks { get; init; } =
        FrozenDictionary<string, RouteNetwork>.Empty;
}

/// <summary>How an ad network's links name its click and what that costs.</summary>
/// <param name="CostParameter">Null where the links do not say.</param>
/// <param name="MostAClick">A higher cost is not believed; in millionths of a unit.</param>
public sealed record RouteNetwork(string ClickParameter, string? CostParameter, long MostAClick);

/// <summary>A goal that pages or programs tell of: an address, a click, a signal.</summary>
/// <param name="Key">Its own address: <c>/signal/{key}</c>.</param>
/// <param name="Step">The step that it is tested for; events without a page of ours are noted there.</param>
/// <param name="Page">The test's control.</param>
public sealed record RouteGoal(GoalId Id, string Key, Goal Goal, FunnelId Funnel, StepId Step, PageId Page);

/// <summary>
/// All that is needed to answer a visitor, in memory and never changed: a change in Studio makes a new table that takes
/// the old one's place at once.
/// </summary>
public sealed class RouteTable
{
    /// <summary>A table of no step and no page.</summary>
    public static readonly RouteTable Empty = new([], []);

    /// <summary>The parameter by which affiliates' links name the affiliate, unless the owner says otherwise.</summary>
    public const string DefaultAffiliateParameter = "aff";

    private readonly Dictionary<string, RouteStep> _steps,
        _sections;
    private readonly Dictionary<string, RouteStep>.AlternateLookup<ReadOnlySpan<char>> _stepsBySlug;
    private readonly Dictionary<StepId, RouteStep> _stepsById;
    private readonly ILookup<StepId?, RouteStep> _sectionsByHost;
    private readonly Dictionary<string, RoutePage> _pages;
    private readonly Dictionary<string, List<RoutePage>> _outside,
        _ledTo;
    private readonly Dictionary<string, RouteGoal> _goals = [];

    /// <param name="steps">Those of the paths and the sections; no two have one slug.</param>
    /// <param name="pages">Those of all of them; of two with one outside address the first is reached.</param>
    public RouteTable(IReadOnlyCollection<RouteStep> steps, IReadOnlyCollection<RoutePage> pages)
    {
        // A table is made anew at every change, and a frozen dictionary takes longer to make than it saves.
        var isSection = steps.ToLookup(step => step.IsSection);
        _steps = isSection[false].ToDictionary(step => step.Slug, StringComparer.Ordinal);
        _stepsBySlug = _steps.GetAlternateLookup<ReadOnlySpan<char>>();
        _sections = isSection[true].ToDictionary(step => step.Slug, StringComparer.Ordinal);
        _stepsById = steps.ToDictionary(step => step.Id);
        _sectionsByHost = isSection[true].ToLookup(section => section.Host);
        _pages = pages.ToDictionary(page => page.Slug, StringComparer.Ordinal);
        (_outside, _ledTo) = (new(StringComparer.Ordinal), new(StringComparer.Ordinal));
        // Two steps may show the same outside address; the one named first is the one that is reached.
        foreach (var page in pages.Where(page => page.HoldsAddress))
        {
            if (page.Outside is { } outside)
                Add(_outside, outside.Key, page);
            if (page.LeadsTo is { } there)
                Add(_ledTo, there.Key, page);
        }
    }

    /// <summary>This table with one funnel, and the settings of all, as another table has them.</summary>
    public RouteTable With(FunnelId funnel, RouteTable other) =>
        new(
            [.. _stepsById.Values.Where(step => step.Funnel != funnel), .. other._stepsById.Values],
            [
                .. _pages
                    .Values.Where(page => _stepsById[page.Step].Funnel != funnel)
                    .Concat(other.Pages)
                    .OrderBy(page => page.Id.Value),
            ]
        )
        {
            Goals = [.. Goals.Where(goal => goal.Funnel != funnel), .. other.Goals],
            AffiliateParameter = other.AffiliateParameter,
            HeedsPrivacyControl = other.HeedsPrivacyControl,
            NeedsConsent = other.NeedsConsent,
            PassThrough = other.PassThrough,
        };

    /// <summary>The parameter by which affiliates' links name the affiliate.</summary>
    public string AffiliateParameter { get; init; } = DefaultAffiliateParameter;

    /// <summary>
    /// Visitors whose browser sends Global Privacy Control get no cookie and are left out of every count.
    /// </summary>
    public bool HeedsPrivacyControl { get; init; }

    /// <summary>Visitors are counted without a cookie until they say that they agree to one.</summary>
    public bool NeedsConsent { get; init; }

    /// <summary>A further parameter of outside addresses that carries the visitor token; empty for none.</summary>
    public string PassThrough { get; init; } = "";

    /// <summary>The goals of tests that are not decided which pages or programs tell of.</summary>
    public IReadOnlyList<RouteGoal> Goals
    {
        get;
        init
        {
            field = value;
            _goals = value.ToDictionary(goal => goal.Key, StringComparer.Ordinal);
        }
    } = [];

    /// <summary>All steps of the paths, in no order.</summary>
    public IEnumerable<RouteStep> Steps => _steps.Values;

    /// <summary>All pages, in no order.</summary>
    public IEnumerable<RoutePage> Pages => _pages.Values;

    /// <summary>The pages that visitors are being sent to now.</summary>
    public IEnumerable<RoutePage> Shown =>
        _steps
            .Values.SelectMany(step =>
                step.Test is { Phase: not null } test ? test.Pages
                : step.Page is { } page ? [page]
                : []
            )
            .Concat(_steps.Values.SelectMany(step => step.Tied.Values))
            .Distinct();

    /// <summary>The goal of a key; null where there is none, or its test is decided.</summary>
    public RouteGoal? Goal(string key) => _goals.GetValueOrDefault(key);

    /// <summary>The section of a key; null where there is none.</summary>
    public RouteStep? Section(string key) => _sections.GetValueOrDefault(key);

    /// <summary>The sections on a step's pages.</summary>
    public IEnumerable<RouteStep> SectionsOn(StepId host) => _sectionsByHost[host];

    /// <remarks>Links are in small letters; people who type one from an ad may use capitals.</remarks>
    public RouteStep? Step(ReadOnlySpan<char> slug) =>
        _stepsBySlug.TryGetValue(slug, out var step)
            ? step
            : _steps.GetValueOrDefault(slug.ToString().ToLowerInvariant());

    /// <summary>Null where there is no such step.</summary>
    public RouteStep? Step(StepId id) => _stepsById.GetValueOrDefault(id);

    /// <summary>The page of a name in addresses; null where there is none, or it is a version of a section.</summary>
    public RoutePage? Page(string slug) =>
        PageOrVersion(slug) is { } page && !_stepsById[page.Step].IsSection ? page : null;

    /// <summary>The page, or the version of a section, of a name; null where there is none.</summary>
    public RoutePage? PageOrVersion(string slug) => _pages.GetValueOrDefault(slug);

    /// <summary>
    /// The outside page that an address belongs to: same scheme, host, port and path, and every parameter that the
    /// page's own address has. Of several the one with most parameters, then the one that was there first. Where there
    /// is none, the page that leads there.
    /// </summary>
    /// <param name="cameThrough">
    /// Picks the funnel that the visitor came through last from several that have a page there; null where the visitor
    /// came through none of them.
    /// </param>
    public RoutePage? OutsidePage(Uri address, Func<IReadOnlySet<FunnelId>, FunnelId?>? cameThrough = null)
    {
        var key = OutsideAddress.KeyOf(address);
        var there = Met(_outside.GetValueOrDefault(key), page => page.Outside!, address.Query);
        var leading = _ledTo.GetValueOrDefault(key);
        // What a redirect adds to an address may be different each time, so it tells pages apart only where there are
        // several.
        var led = leading is [_] ? leading : Met(leading, page => page.LeadsTo!, address.Query);
        var funnel = Through([.. there, .. led], cameThrough);
        bool IsMeant(RoutePage page) => funnel is null || page.Funnel == funnel;
        return Nearest([.. there.Where(IsMeant)], page => page.Outside!, address)
            ?? Nearest([.. led.Where(IsMeant)], page => page.LeadsTo!, address);
    }

    /// <summary>The fragments by which pages at an address are told apart; none where a single page is there.</summary>
    public IEnumerable<string> FragmentsAt(Uri address) =>
        _outside.GetValueOrDefault(OutsideAddress.KeyOf(address)) is { Count: > 1 } pages
            ? pages.Select(page => page.Outside!.Fragment).Where(fragment => fragment.Length > 0).Distinct()
            : [];

    private static RoutePage? Nearest(RoutePage[] pages, Func<RoutePage, OutsideAddress> at, Uri address)
    {
        if (pages.Length < 2)
            return pages.FirstOrDefault();
        var parameters = pages.Max(page => at(page).OwnParameters);
        RoutePage[] nearest = [.. pages.Where(page => at(page).OwnParameters == parameters)];
        return OutsideAddress.ByFragment(nearest, at, address.Fragment).FirstOrDefault();
    }

    private static FunnelId? Through(RoutePage[] pages, Func<IReadOnlySet<FunnelId>, FunnelId?>? cameThrough)
    {
        if (pages.Length < 2 || cameThrough is null)
            return null;
        var funnels = pages.Select(page => page.Funnel).ToHashSet();
        return funnels.Count < 2 ? null : cameThrough(funnels);
    }

    private static List<RoutePage> Met(List<RoutePage>? pages, Func<RoutePage, OutsideAddress> at, string query) =>
        pages?.FindAll(page => at(page).IsMetBy(query)) ?? [];

    private static void Add(Dictionary<string, List<RoutePage>> pages, string key, RoutePage page)
    {
        if (pages.TryGetValue(key, out var others))
            others.Add(page);
        else
            pages[key] = [page];
    }
}
