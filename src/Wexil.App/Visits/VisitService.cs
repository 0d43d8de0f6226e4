using System.Collections.Concurrent;
using Microsoft.Data.Sqlite;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;

namespace Wexil.App.Visits;

/// <summary>
/// Decides what a visitor is shown and records it before anybody is answered. The one way in for real and for simulated
/// visitors.
/// </summary>
public sealed class VisitService
{
    private readonly Journal _journal;
    private readonly Database _database;
    private readonly IChance _chance;
    private readonly TurnKeeper _turns;
    private readonly NextInRotation _next,
        _upcoming;
    private readonly TroubleLog _troubles;
    private readonly RecentVisits _recent = new();
    private readonly LastFunnels _funnels;
    private readonly Lock _inTurn = new();

    // Places taken but not yet projected, so that the next request of the same visitor finds them.
    private readonly ConcurrentDictionary<(VisitorId, TestId), Enrolment> _fresh = [];

    /// <summary>Forgets a place taken as soon as the journal has projected it.</summary>
    public VisitService(Journal journal, Database database, TurnKeeper turns, IChance chance, TroubleLog troubles)
    {
        (_journal, _database, _turns, _chance, _troubles) = (journal, database, turns, chance, troubles);
        _funnels = new(database, troubles);
        _next = turns.Next;
        _upcoming = (test, promised) => promised ?? turns.Upcoming(test, 1)[0];
        journal.Projected += projected =>
        {
            foreach (var place in projected.Places)
                _fresh.TryRemove(place, out _);
        };
    }

    /// <summary>An id for somebody who has none.</summary>
    public VisitorId NewVisitor(DateTimeOffset at) => VisitorId.New(at, _chance);

    /// <summary>
    /// A visitor follows a step's link. What is shown, once the visit is recorded; null when the step has no page.
    /// </summary>
    /// <param name="routes">The table that the whole request is answered from.</param>
    /// <param name="known">The visitor may have been here before. A new id needs no looking up.</param>
    /// <param name="promised">The page that the visitor was drawn for on a page of the owner's own.</param>
    public async ValueTask<Assignment?> VisitAsync(
        RouteTable routes,
        RouteStep step,
        Visit visit,
        bool known,
        PageId? promised = null
    )
    {
        var (turn, recorded) = Arrive(routes, step, visit, known, promised);
        await recorded;
        return turn;
    }

    /// <summary>The same, for a caller that has more to record before the visitor is answered.</summary>
    /// <param name="isInside">The visitor came from another page here, so no link of a source was followed.</param>
    /// <returns>What is shown, and when it is recorded.</returns>
    public (Assignment? Turn, Task Recorded) Arrive(
        RouteTable routes,
        RouteStep step,
        Visit visit,
        bool known,
        PageId? promised,
        bool isInside = false
    )
    {
        if (Decide(routes, step, visit, known, promised) is not { } turn)
            return (null, Task.CompletedTask);
        // A place is recorded whenever it is taken; what else happens twice within two seconds is one visit.
        var takesPlace = turn.Kind != AssignmentKind.Plain && turn.Exclusion != ExclusionReason.NotRunning;
        var isNew = _recent.Add(visit.Visitor, step.Id, visit.At);
        return (turn, isNew || takesPlace ? Record(step, visit, turn, isInside) : Task.CompletedTask);
    }

    /// <summary>
    /// The version of each section of a page that a visitor is shown, once the places that the visitor takes are
    /// recorded.
    /// </summary>
    /// <param name="promised">The version that the visitor was drawn for on an outside page.</param>
    public async ValueTask<IReadOnlyList<RoutePage?>> ShowSectionsAsync(
        RouteTable routes,
        IReadOnlyList<RouteStep> sections,
        Visit visit,
        bool known,
        PageId? promised = null
    )
    {
        var shown = new RoutePage?[sections.Count];
        var recorded = new List<Task>();
        for (var i = 0; i < sections.Count; i++)
        {
            if (Decide(routes, sections[i], visit, known, promised) is not { } turn)
                continue;
            shown[i] = turn.Page;
            if (turn.Kind != AssignmentKind.Plain && turn.Exclusion != ExclusionReason.NotRunning)
                recorded.Add(Record(sections[i], visit, turn, isInside: false));
        }
        // Together they take as long as one.
        await Task.WhenAll(recorded);
        return shown;
    }

    /// <summary>What the visitor would be shown, with nothing recorded and no turn taken.</summary>
    public Assignment? Peek(RouteTable routes, RouteStep step, Visit visit, bool known)
    {
        var turn = Assignment.Decide(step, visit, Place(step, visit.Visitor, known), _upcoming);
        return Combined(routes, step, visit, known, turn);
    }

    /// <summary>
    /// What a rehearsal visitor is shown: what one that counts would be, with no turn taken and no place. Where pages
    /// take turns, each has the turn of one who comes a little later, so that together they see every page.
    /// </summary>
    private Assignment? Rehearse(RouteTable routes, RouteStep step, Visit visit)
    {
        int Later(RouteTest test, int? promised)
        {
            const int turns = 16;
            return promised ?? _turns.Upcoming(test, turns)[visit.Visitor.Value.ToByteArray()[^1] % turns];
        }
        return Combined(routes, step, visit, known: true, Assignment.Decide(step, visit, null, Later));
    }

    /// <summary>What is left of a draw where some versions never go with those of other sections.</summary>
    private Assignment? Combined(RouteTable routes, RouteStep section, Visit visit, bool known, Assignment? turn)
    {
        if (section.Excluded.Count == 0 || turn is not { Kind: AssignmentKind.Enrols } drawn)
            return turn;
        return Combined(routes, section, visit, known, drawn);
    }

    private Assignment Combined(RouteTable routes, RouteStep section, Visit visit, bool known, Assignment drawn)
    {
        // Of those who stand apart in another section the draw is what it would be, so that it is the same at every
        // asking; whoever counts there has a place.
        Assignment? Other(RouteStep other) =>
            Assignment.Decide(
                other,
                visit,
                Place(other, visit.Visitor, known) is { Phase: not null } place ? place : null,
                _upcoming
            );
        var others = routes.SectionsOn(section.Host!.Value).Where(other => other.Id != section.Id).Select(Other);
        return Combination.Settle(section, drawn, [.. others.OfType<Assignment>().Select(other => other.Page.Id)]);
    }

    /// <summary>A visitor is on a page without having come by its step's link.</summary>
    public Task ReachAsync(RoutePage page, VisitorId visitor, DateTimeOffset at)
    {
        _funnels.Note(visitor, page.Funnel);
        return _journal.AppendAsync(
            new(TimeOrderedId.New(at, _chance), at, EventKind.Visit, visitor, page.Step, page.Id)
        );
    }

    /// <summary>
    /// The page at an outside address. One that several funnels have belongs to the funnel that the visitor came
    /// through last.
    /// </summary>
    public RoutePage? PageAt(RouteTable routes, Uri address, VisitorId visitor) =>
        routes.OutsidePage(address, funnels => _funnels.Among(funnels, visitor));

    /// <summary>A visitor gave an e-mail address on a page.</summary>
    public Task OptInAsync(RoutePage page, VisitorId visitor, OptInNote note, DateTimeOffset at) =>
        _journal.AppendAsync(
            new(TimeOrderedId.New(at, _chance), at, EventKind.OptIn, visitor, page.Step, page.Id, Data: note.ToString())
        );

    /// <summary>A visitor met a goal that only a page or a program elsewhere can tell of.</summary>
    /// <param name="value">What came with it, in minor units of the owner's currency.</param>
    /// <param name="id">The same for every telling of the same thing; null where each is another.</param>
    public Task<Recorded> MeetAsync(
        RouteGoal goal,
        VisitorId visitor,
        DateTimeOffset at,
        long value = 0,
        Guid? id = null
    ) =>
        _journal.AppendAsync(
            new(
                id ?? TimeOrderedId.New(at, _chance),
                at,
                EventKind.Met,
                visitor,
                goal.Step,
                goal.Page,
                Data: new GoalNote(goal.Id, value).ToString()
            )
        );

    /// <summary>A visitor left a page, having stayed so long.</summary>
    public Task StayAsync(RoutePage page, VisitorId visitor, StayNote stay, DateTimeOffset at) =>
        _journal.AppendAsync(
            new(TimeOrderedId.New(at, _chance), at, EventKind.Stay, visitor, page.Step, page.Id, Data: stay.ToString())
        );

    /// <summary>A visitor stayed on the page where a test begins, because we did not answer in time.</summary>
    public Task StayLateAsync(RouteStep step, Visit visit) =>
        step.Test is { Phase: not null } test
            ? Record(
                step,
                visit,
                new(test.Pages[test.Control], AssignmentKind.Apart, AssignmentReason.Late),
                isInside: false
            )
            : Task.CompletedTask;

    /// <summary>Has a visitor been put anywhere in a step's test?</summary>
    public bool HasPlace(RouteStep step, VisitorId visitor) => Place(step, visitor, known: true) is not null;

    /// <summary>Notes that somebody was served who does not count. Nobody waits for it.</summary>
    public void LeaveOut(StepId step, PageId page, NotCountedReason why, DateTimeOffset at) =>
        _ = _journal.AppendAsync(
            new(
                TimeOrderedId.New(at, _chance),
                at,
                EventKind.LeftOut,
                new(TimeOrderedId.New(at, _chance)),
                step,
                page,
                Data: ((char)why).ToString()
            )
        );

    private Assignment? Decide(RouteTable routes, RouteStep step, Visit visit, bool known, PageId? promised)
    {
        if (visit.Visitor.IsRehearsal)
            return Rehearse(routes, step, visit);
        if (known && step.Test is { Allocation: Allocation.Rotation, Phase: not null })
        {
            // A turn taken for a place that another request has just taken would be lost.
            lock (_inTurn)
                return Settle(routes, step, visit, known, promised);
        }
        return Settle(routes, step, visit, known, promised);
    }

    private Assignment? Settle(RouteTable routes, RouteStep step, Visit visit, bool known, PageId? promised)
    {
        var turn = Combined(
            routes,
            step,
            visit,
            known,
            Assignment.Decide(step, visit, Place(step, visit.Visitor, known), _next, promised)
        );
        if (
            turn is not { } taken
            || taken.Kind == AssignmentKind.Plain
            || step.Test is not { Phase: not null } test
            || taken.Exclusion == ExclusionReason.NotRunning
        )
            return turn;
        // Of two requests at the same moment one takes the place and the other finds it.
        var place = new Enrolment(taken.Page.Id, taken.Kind == AssignmentKind.Enrols ? test.Phase : null);
        return _fresh.TryAdd((visit.Visitor, test.Id), place) || !known
            ? turn
            : Assignment.Decide(step, visit, _fresh.GetValueOrDefault((visit.Visitor, test.Id), place), _next);
    }

    private Enrolment? Place(RouteStep step, VisitorId visitor, bool known)
    {
        if (!known || step.Test is not { Phase: not null } test)
            return null;
        if (_fresh.TryGetValue((visitor, test.Id), out var place))
            return place;
        try
        {
            return _database.PlaceOf(visitor, test.Id);
        }
        catch (SqliteException error)
        {
            // The draw gives the same page again unless the weights were changed.
            _troubles.Say("A visitor’s page could not be looked up, so it was drawn again", error);
            return null;
        }
    }

    private Task<Recorded> Record(RouteStep step, Visit visit, Assignment turn, bool isInside)
    {
        var kind = turn.Kind switch
        {
            AssignmentKind.Enrols => EventKind.Enrol,
            AssignmentKind.Apart => EventKind.Apart,
            _ => EventKind.Visit,
        };
        if (!step.IsSection)
            _funnels.Note(visit.Visitor, step.Funnel);
        var note = VisitNote.From(
            isInside ? visit.Traits with { Source = "", Click = null } : visit.Traits,
            turn.Exclusion
        );
        var recorded = _journal.AppendAsync(
            new(
                TimeOrderedId.New(visit.At, _chance),
                visit.At,
                kind,
                visit.Visitor,
                step.Id,
                turn.Page.Id,
                kind == EventKind.Visit ? null : step.Test!.Id,
                kind == EventKind.Enrol ? step.Test!.Phase : null,
                note.ToString()
            )
        );
        // What is never projected is never forgotten otherwise.
        if (recorded is { IsCompletedSuccessfully: true, Result: Recorded.Lost } && step.Test is { } test)
            _fresh.TryRemove((visit.Visitor, test.Id), out _);
        return recorded;
    }
}
