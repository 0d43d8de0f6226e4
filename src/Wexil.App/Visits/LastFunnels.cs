using Microsoft.Data.Sqlite;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Store;

namespace Wexil.App.Visits;

/// <summary>
/// Which funnel a visitor came through last. The file says so once a visit is projected; until then it is known here.
/// Its room is fixed: a visitor may take the place of another who came before.
/// </summary>
internal sealed class LastFunnels(Database database, TroubleLog troubles)
{
    private const int Places = 1 << 14,
        Locks = 64;
    private readonly (VisitorId Visitor, FunnelId Funnel)[] _last = new (VisitorId, FunnelId)[Places];
    private readonly Lock[] _locks = [.. Enumerable.Range(0, Locks).Select(_ => new Lock())];

    /// <summary>A visitor was at a step of a funnel.</summary>
    public void Note(VisitorId visitor, FunnelId funnel)
    {
        var place = PlaceOf(visitor);
        lock (_locks[place % Locks])
            _last[place] = (visitor, funnel);
    }

    /// <summary>Finds which of these funnels a visitor came through last; null where it is none of them.</summary>
    public FunnelId? Among(IReadOnlySet<FunnelId> funnels, VisitorId visitor)
    {
        if (Remembered(visitor) is { } last && funnels.Contains(last))
            return last;
        try
        {
            foreach (var funnel in database.FunnelsOf(visitor))
                if (funnels.Contains(funnel))
                    return funnel;
        }
        catch (SqliteException error)
        {
            troubles.Say("It could not be looked up which funnel a visitor came through", error);
        }
        return null;
    }

    private FunnelId? Remembered(VisitorId visitor)
    {
        var place = PlaceOf(visitor);
        lock (_locks[place % Locks])
        {
            var (known, funnel) = _last[place];
            return known == visitor ? funnel : null;
        }
    }

    private static int PlaceOf(VisitorId visitor) => visitor.GetHashCode() & (Places - 1);
}
