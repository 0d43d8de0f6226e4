using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Sales;
using Wexil.Core.Simulation;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;
using Wexil.Web.Hosting;

namespace Wexil.Demo;

/// <summary>Simulated visitors, recorded as real ones are.</summary>
/// <param name="now">When the last of them comes, at most.</param>
/// <param name="came">Called now and then with how many have come.</param>
internal sealed class DemoVisitors(WexilHost host, DateTimeOffset now, Action<long> came)
{
    private const int Seed = 2211,
        ReportEvery = 500;
    private static readonly (string Tag, int Weight)[] CalendarSources =
    [
        ("forum-ads", 58),
        ("sunday-letter", 27),
        ("", 15),
    ];
    private readonly Journal _journal = host.Journal;
    private readonly Routes _routes = host.Services.GetRequiredService<Routes>();
    private readonly VisitService _visits = host.Services.GetRequiredService<VisitService>();
    private readonly SaleStore _sales = host.Services.GetRequiredService<SaleStore>();
    private readonly SimulatedCrowd _crowd = new(Seed),
        _traits = new(Seed + 1),
        _readers = new(Seed + 2),
        _buyers = new(Seed + 3),
        _stayers = new(Seed + 4);
    private readonly List<Task> _recording = [];
    private long _reader,
        _order = 4000;

    /// <summary>How many came.</summary>
    public long Count { get; private set; }

    /// <summary>Visitors of a step, and those of them who reach the goal by the steps in between.</summary>
    public void Come(
        Step step,
        DateTimeOffset from,
        DateTimeOffset until,
        double perDay,
        (PageId Page, double Rate)[] rates,
        (Step Step, double Rate)[] onward,
        DateTimeOffset? countedUntil = null,
        (string Tag, int Weight)[]? sources = null,
        Next? next = null,
        bool sells = false,
        Effect[]? sections = null
    )
    {
        var table = _routes.Current;
        var pages = table.Pages.ToDictionary(page => page.Id);
        foreach (var at in _crowd.Arrivals(from, until, perDay))
        {
            var visitor = _visits.NewVisitor(at);
            var traits = Traits(sources ?? CalendarSources);
            var shown = Visit(table.Step(step.Id)!, visitor, at, traits);
            if (++Count % ReportEvery == 0)
                came(Count);
            if (step.Kind == StepKind.OptIn)
                Stay(pages[shown], visitor, at, until < now ? until : now);
            var then = at;
            var better = ShowSections(sections ?? [], visitor, at, traits);
            if (!_crowd.Does(better * rates.Single(rate => rate.Page == shown).Rate))
                continue;
            if (next is not null)
                OptIn(pages[shown], visitor, at);
            then = Walk(_crowd, visitor, traits, then, onward, countedUntil ?? until, sells);
            if (next is not null && _readers.Does(next.Share))
                GoOn(next, shown, visitor, traits, then);
        }
    }

    /// <summary>A reader comes to a later step some time after, and may buy there.</summary>
    private void GoOn(Next next, PageId read, VisitorId visitor, Traits traits, DateTimeOffset from)
    {
        var then = from + 40 * _readers.Hesitates();
        if (then >= now)
            return;
        var later = traits with { Source = "" };
        var offered = Visit(_routes.Current.Step(next.Step.Id)!, visitor, then, later);
        var better = ShowSections(next.Sections, visitor, then, later);
        if (_readers.Does(better * next.Rate(read, offered)))
            Walk(_readers, visitor, traits, then, next.Onward, now, sells: true);
    }

    private Traits Traits((string Tag, int Weight)[] sources) =>
        new(
            _traits.OneOf((Device.Phone, 56), (Device.Desktop, 36), (Device.Tablet, 8)),
            _traits.OneOf(("US", 62), ("GB", 17), ("CA", 11), ("AU", 6), ("DE", 4)),
            _traits.OneOf(("en", 94), ("es", 4), ("de", 2)),
            Source: _traits.OneOf(sources)
        );

    /// <summary>A visitor who goes on from step to step, as far as each step's rate lets them.</summary>
    private DateTimeOffset Walk(
        SimulatedCrowd crowd,
        VisitorId visitor,
        Traits traits,
        DateTimeOffset from,
        (Step Step, double Rate)[] onward,
        DateTimeOffset until,
        bool sells = false
    )
    {
        var then = from;
        foreach (var (step, rate) in onward)
        {
            if (!crowd.Does(rate))
                break;
            then += crowd.Hesitates();
            if (then >= until)
                continue;
            Visit(_routes.Current.Step(step.Id)!, visitor, then, traits with { Source = "" });
            // Behind the checkout the kit is paid for.
            if (sells && step.Kind == StepKind.Upsell)
                Buy(visitor, then, traits.Country == "DE");
        }
        return then;
    }

    /// <summary>A buyer of the kit; one in four adds the light, and one in thirty sends it all back.</summary>
    private void Buy(VisitorId visitor, DateTimeOffset at, bool paysEuros)
    {
        var order = $"K-{++_order}";
        var (currency, kit, light) = paysEuros ? ("EUR", 4500, 2200) : ("USD", 4900, 2400);
        Tell(new(SaleKind.Sale, order, "1", kit, currency, "Balcony Harvest Kit"), at);
        if (_buyers.Does(0.25))
            Tell(new(SaleKind.Sale, order, "2", light, currency, "Winter light"), at + _buyers.Hesitates());
        if (_buyers.Does(0.033))
            Tell(new(SaleKind.Refund, order, "1", kit, currency), at.AddDays(3));

        void Tell(SaleNotice notice, DateTimeOffset then)
        {
            if (then < now)
                _recording.Add(_sales.RecordAsync(notice, visitor, null, then));
        }
    }

    /// <summary>A reader's address, made up.</summary>
    private void OptIn(RoutePage page, VisitorId visitor, DateTimeOffset at)
    {
        var name = _stayers.OneOf(
            ("ada", 1),
            ("bela", 1),
            ("cora", 1),
            ("dag", 1),
            ("enid", 1),
            ("finn", 1),
            ("gus", 1),
            ("hella", 1),
            ("ivo", 1),
            ("june", 1)
        );
        _recording.Add(
            _journal.AppendAsync(
                new(
                    Guid.CreateVersion7(at),
                    at,
                    EventKind.OptIn,
                    visitor,
                    page.Step,
                    page.Id,
                    Data: $"{name}.{++_reader}@balcony.example"
                )
            )
        );
    }

    /// <summary>Some leave at once, others read on, longer on phones or not.</summary>
    private void Stay(RoutePage page, VisitorId visitor, DateTimeOffset at, DateTimeOffset until)
    {
        var reads = _stayers.Does(0.71);
        var stayed = reads ? TimeSpan.FromSeconds(10) + _stayers.Hesitates() / 2 : TimeSpan.FromSeconds(4);
        // A stay that goes on after its test is decided does not count in it.
        if (at + stayed < until)
            _recording.Add(
                _journal.AppendAsync(
                    new(
                        Guid.CreateVersion7(at + stayed),
                        at + stayed,
                        EventKind.Stay,
                        visitor,
                        page.Step,
                        page.Id,
                        Data: new StayNote((long)stayed.TotalMilliseconds, reads).ToString()
                    )
                )
            );
    }

    private PageId Visit(RouteStep step, VisitorId visitor, DateTimeOffset at, Traits traits)
    {
        var visit = new Visit(visitor, at, traits);
        _recording.Add(_visits.VisitAsync(_routes.Current, step, visit, known: false).AsTask());
        return _visits.Peek(_routes.Current, step, visit, known: false)!.Value.Page.Id;
    }

    /// <returns>By how much the versions seen change the rate, as a factor.</returns>
    private double ShowSections(Effect[] sections, VisitorId visitor, DateTimeOffset at, Traits traits)
    {
        var visit = new Visit(visitor, at, traits);
        var better = 1.0;
        foreach (var (section, version, factor) in sections)
        {
            var route = _routes.Current.Step(section.Id)!;
            _recording.Add(_visits.ShowSectionsAsync(_routes.Current, [route], visit, known: false).AsTask());
            if (_visits.Peek(_routes.Current, route, visit, known: false)?.Page.Id == version)
                better *= factor;
        }
        return better;
    }

    /// <summary>Waits until all who came are counted.</summary>
    public async Task RecordedAsync()
    {
        await Task.WhenAll(_recording);
        _recording.Clear();
        await _journal.WhenProjectedAsync();
    }

    /// <summary>
    /// A later step that a share of those who reached the goal go on to, and how many of them buy there, by both pages.
    /// </summary>
    public sealed record Next(
        Step Step,
        double Share,
        Func<PageId, PageId, double> Rate,
        (Step Step, double Rate)[] Onward,
        Effect[] Sections
    );

    /// <summary>What a version of a section does to the rate, as a factor, against the first one.</summary>
    public sealed record Effect(Step Section, PageId Version, double Factor);
}
