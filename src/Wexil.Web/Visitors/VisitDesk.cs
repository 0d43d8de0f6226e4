using System.Collections.Concurrent;
using Microsoft.Data.Sqlite;
using Wexil.Core.Funnels;
using Wexil.Core.Splits;
using Wexil.Store;
using Wexil.Store.Recording;
using Wexil.Web.Shared;

namespace Wexil.Web.Visitors;

/// <summary>
/// Decides what a visitor is shown and records it before anybody is answered. The one way in for real and for simulated visitors.
/// </summary>
public sealed class VisitDesk
{
    private readonly Routes _routes;
    private readonly Journal _journal;
    private readonly Database _database;
    private readonly IChance _chance;

    // Places taken but not yet projected, so that the next request of the same visitor finds them.
    private readonly ConcurrentDictionary<(VisitorId, TestId), Place> _fresh = [];

    public VisitDesk(Routes routes, Journal journal, Database database, IChance chance)
    {
        (_routes, _journal, _database, _chance) = (routes, journal, database, chance);
        journal.Projected += projected =>
        {
            foreach (var place in projected.Places) _fresh.TryRemove(place, out _);
        };
    }

    public RouteTable Routes => _routes.Current;

    public VisitorId NewVisitor(DateTimeOffset at) => VisitorId.New(at, _chance);

    /// <summary>A visitor follows a step's link. The page to show once the visit is recorded; null when the step has none.</summary>
    /// <param name="known">The visitor may have been here before. A new id needs no looking up.</param>
    public async ValueTask<RoutePage?> VisitAsync(RouteStep step, VisitorId visitor, bool known, DateTimeOffset at)
    {
        if (Decide(step, visitor, known) is not { } turn) return null;
        await Record(step, visitor, turn, at);
        return turn.Page;
    }

    /// <summary>The page that the visitor would be shown, with nothing recorded.</summary>
    public RoutePage? Peek(RouteStep step, VisitorId visitor, bool known) => Turn.Take(step, visitor, Place(step, visitor, known))?.Page;

    /// <summary>A visitor is on a page without having come by its step's link.</summary>
    public Task ReachAsync(RoutePage page, VisitorId visitor, DateTimeOffset at) =>
        _journal.AppendAsync(new(TimeOrderedId.New(at, _chance), at, EventKind.Visit, visitor, page.Step, page.Id));

    /// <summary>A visitor gave an e-mail address on a page.</summary>
    public Task OptInAsync(RoutePage page, VisitorId visitor, string email, DateTimeOffset at) =>
        _journal.AppendAsync(new(TimeOrderedId.New(at, _chance), at, EventKind.OptIn, visitor, page.Step, page.Id, Data: email));

    private Turn? Decide(RouteStep step, VisitorId visitor, bool known)
    {
        var turn = Turn.Take(step, visitor, Place(step, visitor, known));
        if (turn is not { Kind: TurnKind.Enrols } enrols) return turn;
        // Of two requests at the same moment one takes the place and the other finds it.
        var taken = new Place(enrols.Page.Id, step.Test!.Phase);
        return _fresh.TryAdd((visitor, step.Test.Id), taken) || !known ? enrols : Turn.Take(step, visitor, _fresh.GetValueOrDefault((visitor, step.Test.Id), taken));
    }

    private Place? Place(RouteStep step, VisitorId visitor, bool known)
    {
        if (!known || step.Test is not { Phase: not null } test) return null;
        if (_fresh.TryGetValue((visitor, test.Id), out var place)) return place;
        try
        {
            return _database.PlaceOf(visitor, test.Id);
        }
        catch (SqliteException)
        {
            // The store cannot be asked; the draw gives the same page again unless the weights were changed.
            return null;
        }
    }

    private Task<Recorded> Record(RouteStep step, VisitorId visitor, Turn turn, DateTimeOffset at)
    {
        var kind = turn.Kind switch { TurnKind.Enrols => EventKind.Enrol, TurnKind.Apart => EventKind.Apart, _ => EventKind.Visit };
        return _journal.AppendAsync(new(
            TimeOrderedId.New(at, _chance), at, kind, visitor, step.Id, turn.Page.Id,
            kind == EventKind.Visit ? null : step.Test!.Id, kind == EventKind.Enrol ? step.Test!.Phase : null));
    }
}
