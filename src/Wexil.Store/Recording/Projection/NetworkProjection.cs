using System.Text.Json;
using Microsoft.Data.Sqlite;
using Wexil.Core.AdNetworks;
using Wexil.Core.Common;
using Wexil.Core.Visitors;

namespace Wexil.Store.Recording.Projection;

/// <summary>
/// Keeps the clicks that ad networks sent, each once, and writes down what the networks are to be told.
/// </summary>
internal sealed class NetworkProjection(SqliteConnection connection) : IDisposable
{
    private readonly PreparedStatement _click = new(
        connection,
        "INSERT OR IGNORE INTO ad_clicks (source_id, click_id, visitor, at) VALUES (?1, ?2, ?3, ?4)"
    );

    // Of a visitor's clicks each network is told by its last.
    private readonly PreparedStatement _clicks = new(
        connection,
        """
        SELECT c.source_id, c.click_id, max(c.at) FROM ad_clicks c JOIN source_networks n ON n.source_id = c.source_id
        WHERE c.visitor = ?1 AND c.at <= ?2 AND n.since <= ?2 AND n.postback <> ''
          AND CASE ?3 WHEN 1 THEN n.tells_sales ELSE n.tells_opt_ins END GROUP BY c.source_id
        """
    );

    private readonly PreparedStatement _tell = new(
        connection,
        """
        INSERT OR IGNORE INTO outgoing (cause, kind, step_id, email, fields, next_at, source_id)
        VALUES (?1, ?2, 0, '', ?3, ?4, ?5)
        """
    );

    /// <summary>A visitor came by a network's click. False where the click is known already.</summary>
    public bool Note(long source, AdClick click, Guid visitor, long at) =>
        click.IsOfNobody || _click.Bind(1, source).Bind(2, click.Id).Bind(3, visitor).Bind(4, at).Run() > 0;

    /// <summary>A visitor opted in: each network that sent them is told once of its click.</summary>
    public void OptedIn(Guid visitor, long at)
    {
        foreach (var (source, click) in Clicks(visitor, at, isSale: false))
            Tell(NameBasedId.From($"{source}\nopt-in\n{click}"), source, new(click, "opt-in"), at);
    }

    /// <summary>A visitor bought something. Money back is not told: networks take what they were told.</summary>
    /// <param name="line">Of the order; empty for all of it.</param>
    public void Bought(Guid visitor, long at, string value, string currency, string order, string line)
    {
        foreach (var (source, click) in Clicks(visitor, at, isSale: true))
            Tell(SaleCause(source, order, line), source, new(click, "sale", value, currency, order, line), at);
    }

    /// <summary>The same for every telling of the same sale.</summary>
    public static Guid SaleCause(long source, string order, string line) =>
        NameBasedId.From($"{source}\nsale\n{order}\n{line}");

    public void Dispose()
    {
        _click.Dispose();
        _clicks.Dispose();
        _tell.Dispose();
    }

    private List<(long Source, string Click)> Clicks(Guid visitor, long at, bool isSale)
    {
        var found = new List<(long, string)>();
        _clicks.Bind(1, visitor).Bind(2, at).Bind(3, isSale ? 1 : 0);
        while (_clicks.Next())
            found.Add((_clicks.Number(0), _clicks.Text(1)!));
        return found;
    }

    private void Tell(Guid cause, long source, Postback told, long at) =>
        _tell
            .Bind(1, cause)
            .Bind(2, (long)OutboxKind.Postback)
            .Bind(3, JsonSerializer.Serialize(told))
            .Bind(4, at)
            .Bind(5, source)
            .Run();
}
