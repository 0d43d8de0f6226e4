using System.Text.Json;
using Microsoft.Data.Sqlite;
using Wexil.Core.Visitors;

namespace Wexil.Store.Retention;

/// <summary>
/// Takes ad networks' names of clicks out of visitors' events: by them a network would know who it was. What a click
/// cost stays, once.
/// </summary>
/// <param name="connection">Reads the data file as <c>whole</c>.</param>
/// <param name="visitors">Who is removed.</param>
internal sealed class ClickTraces(SqliteConnection connection, SideCount count, IReadOnlyList<byte[]> visitors)
{
    private readonly HashSet<string> _visitors = [.. visitors.Select(Convert.ToHexString)];
    private readonly HashSet<string> _clicks = [];

    private readonly record struct ClickEvent(long Number, string Visitor, VisitNote Note);

    /// <summary>Does a visit tell of one of the clicks, or of another of theirs?</summary>
    public bool Names(byte[] visitor, string data) =>
        VisitNote.Parse(data).Click is { IsOfNobody: false } click
        && (_clicks.Contains(click.Id) || _visitors.Contains(Convert.ToHexString(visitor)));

    /// <summary>What the events say without the clicks.</summary>
    public IReadOnlyList<EventChange> Changes()
    {
        _clicks.UnionWith(Read(IsOfOne).Select(visit => visit.Note.Click!.Value.Id));
        if (_clicks.Count == 0)
            return [];
        count.Clear();
        TakeSealed();
        return [.. Read(visit => _clicks.Contains(visit.Note.Click!.Value.Id)).Select(Change).OfType<EventChange>()];
    }

    // A click that others brought too is paid for by the first of them, and by nobody once that one is gone.
    private EventChange? Change(ClickEvent visit)
    {
        var before = Paid();
        count.Take(visit.Number);
        count.Count();
        var pays = Paid() > before;
        if (pays && !IsOfOne(visit))
            return null;
        AdClick? left = pays ? visit.Note.Click!.Value with { Id = "" } : null;
        return new(visit.Number, (visit.Note with { Click = left }).ToString());
    }

    private bool IsOfOne(ClickEvent visit) => _visitors.Contains(visit.Visitor);

    private long Paid() => connection.Number("SELECT count(*) FROM main.ad_clicks")!.Value;

    /// <summary>Clicks of visitors whose visits were thinned are paid for already.</summary>
    private void TakeSealed() =>
        connection.Execute(
            """
            INSERT INTO main.ad_clicks
            SELECT *
            FROM whole.ad_clicks
            WHERE sealed AND click_id IN (SELECT value FROM json_each($1))
            """,
            JsonSerializer.Serialize(_clicks)
        );

    private List<ClickEvent> Read(Predicate<ClickEvent> isWanted)
    {
        if (visitors.Count == 0)
            return [];
        using var command = connection.Command(
            """
            SELECT seq, visitor, data
            FROM whole.events
            WHERE kind IN (1, 2, 3) AND instr(data, ' ') > 0
            ORDER BY seq
            """
        );
        using var row = command.ExecuteReader();
        var found = new List<ClickEvent>();
        while (row.Read())
        {
            var visit = new ClickEvent(
                row.GetInt64(0),
                Convert.ToHexString((byte[])row.GetValue(1)),
                VisitNote.Parse(row.GetString(2))
            );
            if (visit.Note.Click is { IsOfNobody: false } && isWanted(visit))
                found.Add(visit);
        }
        return found;
    }
}
