using System.Collections.Frozen;
using Wexil.Core.Funnels;

namespace Wexil.Core.Splits;

/// <summary>A page as the visitors' side needs it: its own address, and where it lives when that is outside.</summary>
/// <param name="Revision">Goes up with every change of a hosted page's content.</param>
/// <param name="Outside">The address of an outside page; null for a hosted one.</param>
public sealed record RoutePage(PageId Id, StepId Step, string Slug, int Revision, Uri? Outside)
{
    /// <summary>The slug of the step that it stands on.</summary>
    public string Link { get; init; } = "";

    /// <summary>The addresses where its funnel takes money; links to them are buy buttons.</summary>
    public IReadOnlyList<string> Tills { get; init; } = [];

    /// <summary>What besides its content the page is made of, in one text that is made once and compared at every visit.</summary>
    public string WiringKey { get; init; } = "";

    /// <summary>Search engines may list it under its own address.</summary>
    public bool IsIndexed { get; init; }
}

/// <summary>A running test, or one that was decided and could be taken up again.</summary>
/// <param name="Phase">The phase new visitors are enrolled in; null once the test is decided.</param>
public sealed record RouteTest(TestId Id, PhaseId? Phase, IReadOnlyList<RoutePage> Pages, Weights Weights, int Control);

/// <summary>A step: the page everybody sees while nothing is tested, its test if any, and the links that a yes and a no lead to.</summary>
/// <param name="Forward">Where everybody is sent instead, once the step is archived and its owner says so.</param>
public sealed record RouteStep(StepId Id, string Slug, RoutePage? Page, RouteTest? Test, string? YesSlug, string? NoSlug = null, string? Forward = null);

/// <summary>
/// All that is needed to answer a visitor, in memory and never changed: a change in Studio makes a new table that takes the old
/// one's place at once.
/// </summary>
public sealed class RouteTable
{
    public static readonly RouteTable Empty = new([], []);

    private readonly FrozenDictionary<string, RouteStep> _steps;
    private readonly FrozenDictionary<StepId, RouteStep> _stepsById;
    private readonly FrozenDictionary<string, RoutePage> _pages;
    private readonly FrozenDictionary<string, RoutePage> _outside;

    public RouteTable(IReadOnlyCollection<RouteStep> steps, IReadOnlyCollection<RoutePage> pages)
    {
        _steps = steps.ToFrozenDictionary(step => step.Slug, StringComparer.Ordinal);
        _stepsById = steps.ToFrozenDictionary(step => step.Id);
        _pages = pages.ToFrozenDictionary(page => page.Slug, StringComparer.Ordinal);
        // Two steps may show the same outside address; the one named first is the one that is reached.
        _outside = pages.Where(page => page.Outside is not null)
            .GroupBy(page => OutsideKey(page.Outside!)).ToFrozenDictionary(group => group.Key, group => group.First(), StringComparer.Ordinal);
    }

    /// <summary>The pages that visitors are being sent to now.</summary>
    public IEnumerable<RoutePage> Shown => _steps.Values
        .SelectMany(step => step.Test is { Phase: not null } test ? test.Pages : step.Page is { } page ? [page] : []).Distinct();

    public RouteStep? Step(string slug) => _steps.GetValueOrDefault(slug);

    public RouteStep? Step(StepId id) => _stepsById.GetValueOrDefault(id);

    public RoutePage? Page(string slug) => _pages.GetValueOrDefault(slug);

    /// <summary>The outside page that an address belongs to: same scheme, host, port and path, whatever its query or fragment.</summary>
    public RoutePage? OutsidePage(Uri address) => _outside.GetValueOrDefault(OutsideKey(address));

    private static string OutsideKey(Uri address) =>
        address.GetLeftPart(UriPartial.Authority).ToLowerInvariant() + address.AbsolutePath.TrimEnd('/');
}
