using System.Buffers.Text;
using System.Collections.Concurrent;
using System.Data;
using System.Security.Cryptography;
using System.Text;
using Microsoft.Data.Sqlite;
using Wexil.Store.Recording;

namespace Wexil.Store.Team;

/// <summary>A browser that is signed in.</summary>
/// <param name="Id">Names it; opens nothing.</param>
/// <param name="Member">Who is signed in by it.</param>
/// <param name="SeenAt">The last request, to within ten minutes.</param>
/// <param name="Browser">As it calls itself.</param>
/// <param name="Address">Where it signed in from; empty where that is not known.</param>
/// <param name="IsByLink">Signed in by a link from the server's command line, and not by the password.</param>
public sealed record Session(
    string Id,
    MemberId Member,
    DateTimeOffset BeganAt,
    DateTimeOffset SeenAt,
    string Browser,
    string Address,
    bool IsByLink
);

/// <summary>
/// Keeps who is signed in. A session ends when somebody signs it out, two weeks after its last request, or three months
/// after it began.
/// </summary>
public sealed class SessionStore(Database database, Journal journal, TimeProvider time)
{
    /// <summary>How long a session lasts in which nothing is asked for.</summary>
    public static readonly TimeSpan MaxIdle = TimeSpan.FromDays(14);

    /// <summary>How long a session lasts.</summary>
    public static readonly TimeSpan MaxLife = TimeSpan.FromDays(90);

    private const int KeySize = 32,
        MaxText = 300;
    private static readonly TimeSpan SeenEvery = TimeSpan.FromMinutes(10);

    private readonly ByHeart<IReadOnlyDictionary<string, Session>> _saved = new(() => Read(database));

    // Signing in and out has to work on a full disk too: how else would the owner see that it is full?
    private readonly ConcurrentDictionary<string, Session> _unsaved = [];
    private readonly ConcurrentDictionary<string, bool> _ended = [];

    /// <summary>Those of all members that are open, the newest first.</summary>
    public IReadOnlyList<Session> Open() =>
        [.. _saved.Value.Values.Concat(_unsaved.Values).Where(IsOpen).OrderByDescending(session => session.BeganAt)];

    /// <summary>Those of a member.</summary>
    public IReadOnlyList<Session> Open(MemberId member) => [.. Open().Where(session => session.Member == member)];

    /// <summary>Begins a session.</summary>
    /// <returns>Its key, for the browser's cookie.</returns>
    public async Task<string> BeginAsync(MemberId member, string browser, string address, bool isByLink)
    {
        var (key, now) = (Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(KeySize)), time.GetUtcNow());
        var called = browser.Length > MaxText ? browser[..MaxText] : browser;
        await SaveAsync(new(IdOf(key), member, now, now, called, address, isByLink));
        return key;
    }

    /// <summary>The session of a key; null where it was never begun or is over.</summary>
    public Session? Find(string key)
    {
        var id = IdOf(key);
        var session = _saved.Value.GetValueOrDefault(id) ?? _unsaved.GetValueOrDefault(id);
        return session is not null && IsOpen(session) ? session : null;
    }

    /// <summary>Notes that a session is in use, now and then.</summary>
    public async Task SeeAsync(Session session)
    {
        var now = time.GetUtcNow();
        if (now - session.SeenAt < SeenEvery)
            return;
        if (_unsaved.TryRemove(session.Id, out _))
            await SaveAsync(session with { SeenAt = now });
        else
            await TryWriteAsync(c =>
                c.Execute(
                    "UPDATE sessions SET seen_at = $2 WHERE key_hash = $1",
                    Convert.FromHexString(session.Id),
                    now.ToUnixTimeMilliseconds()
                )
            );
    }

    /// <summary>Ends sessions: their keys open nothing from the next request on.</summary>
    public async Task EndAsync(params IReadOnlyCollection<string> ids)
    {
        foreach (var id in ids)
            _ended[id] = true;
        if (await TryWriteAsync(DeleteEnded))
            foreach (var id in ids)
                _unsaved.TryRemove(id, out _);
    }

    private async Task SaveAsync(Session session)
    {
        var (now, began) = (session.SeenAt, session.BeganAt);
        var isSaved = await TryWriteAsync(c =>
        {
            DeleteEnded(c);
            c.Execute(
                "DELETE FROM sessions WHERE began_at <= $1 OR seen_at <= $2",
                (now - MaxLife).ToUnixTimeMilliseconds(),
                (now - MaxIdle).ToUnixTimeMilliseconds()
            );
            c.Execute(
                """
                INSERT INTO sessions (key_hash, member_id, began_at, seen_at, browser, address, by_link)
                VALUES ($1, $2, $3, $4, $5, $6, $7)
                """,
                Convert.FromHexString(session.Id),
                session.Member.Value,
                began.ToUnixTimeMilliseconds(),
                now.ToUnixTimeMilliseconds(),
                session.Browser,
                session.Address,
                session.IsByLink ? 1 : 0
            );
        });
        if (!isSaved)
            _unsaved[session.Id] = session;
    }

    /// <summary>Those whose end could not be written down are deleted with the next write that can.</summary>
    private void DeleteEnded(SqliteConnection c)
    {
        foreach (var id in _ended.Keys)
            c.Execute("DELETE FROM sessions WHERE key_hash = $1", Convert.FromHexString(id));
    }

    /// <returns>False where the store is not well: what is in memory holds until the program ends.</returns>
    private async Task<bool> TryWriteAsync(Action<SqliteConnection> write)
    {
        try
        {
            await journal.WriteAsync(write);
            _saved.Forget();
            return true;
        }
        catch (StoreException)
        {
            // Every screen says so by itself.
            return false;
        }
    }

    private bool IsOpen(Session session)
    {
        var now = time.GetUtcNow();
        return !_ended.ContainsKey(session.Id) && now - session.SeenAt < MaxIdle && now - session.BeganAt < MaxLife;
    }

    private static string IdOf(string key) => Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes(key)));

    private static Dictionary<string, Session> Read(Database database) =>
        database
            .Read(c =>
                c.Rows("SELECT * FROM sessions", row => new Session(
                    Convert.ToHexString((byte[])row.GetValue("key_hash")),
                    new(row.GetInt64("member_id")),
                    row.Time("began_at"),
                    row.Time("seen_at"),
                    row.GetString("browser"),
                    row.GetString("address"),
                    row.GetBoolean("by_link")
                ))
            )
            .ToDictionary(session => session.Id);
}
