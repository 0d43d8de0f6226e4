using System.Buffers.Text;
using System.Collections.Concurrent;
using System.Data;
using System.Security.Cryptography;
using System.Text;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>A browser that is signed in.</summary>
/// <param name="Id">Names it; opens nothing.</param>
/// <param name="SeenAt">The last request, to within ten minutes.</param>
/// <param name="Browser">As it calls itself.</param>
/// <param name="Address">Where it signed in from; empty where that is not known.</param>
/// <param name="IsByLink">Signed in by a link from the server's command line, and not by the password.</param>
public sealed record Session(
    string Id,
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

    // Signing in has to work on a full disk too: how else would the owner see that it is full?
    private readonly ConcurrentDictionary<string, Session> _unsaved = [];

    /// <summary>Those that are signed in, the newest first.</summary>
    public IReadOnlyList<Session> Open() =>
        [.. _saved.Value.Values.Concat(_unsaved.Values).Where(IsOpen).OrderByDescending(session => session.BeganAt)];

    /// <summary>Begins a session.</summary>
    /// <returns>Its key, for the browser's cookie.</returns>
    public async Task<string> BeginAsync(string browser, string address, bool isByLink)
    {
        var (key, now) = (Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(KeySize)), time.GetUtcNow());
        var called = browser.Length > MaxText ? browser[..MaxText] : browser;
        var session = new Session(IdOf(key), now, now, called, address, isByLink);
        try
        {
            await journal.WriteAsync(c =>
            {
                var oldest = (now - MaxLife).ToUnixTimeMilliseconds();
                var idle = (now - MaxIdle).ToUnixTimeMilliseconds();
                c.Execute("DELETE FROM sessions WHERE began_at <= $1 OR seen_at <= $2", oldest, idle);
                c.Execute(
                    """
                    INSERT INTO sessions (key_hash, began_at, seen_at, browser, address, by_link)
                    VALUES ($1, $2, $2, $3, $4, $5)
                    """,
                    Convert.FromHexString(session.Id),
                    now.ToUnixTimeMilliseconds(),
                    session.Browser,
                    address,
                    isByLink ? 1 : 0
                );
            });
            _saved.Forget();
        }
        catch (StoreException)
        {
            _unsaved[session.Id] = session;
        }
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
        try
        {
            await journal.WriteAsync(c =>
                c.Execute(
                    "UPDATE sessions SET seen_at = $2 WHERE key_hash = $1",
                    Convert.FromHexString(session.Id),
                    now.ToUnixTimeMilliseconds()
                )
            );
            _saved.Forget();
        }
        catch (StoreException)
        {
            // The next request tries again.
        }
    }

    /// <summary>Ends sessions: their keys open nothing from the next request on.</summary>
    public async Task EndAsync(params IReadOnlyCollection<string> ids)
    {
        foreach (var id in ids)
            _unsaved.TryRemove(id, out _);
        await journal.WriteAsync(c =>
        {
            foreach (var id in ids)
                c.Execute("DELETE FROM sessions WHERE key_hash = $1", Convert.FromHexString(id));
        });
        _saved.Forget();
    }

    private bool IsOpen(Session session)
    {
        var now = time.GetUtcNow();
        return now - session.SeenAt < MaxIdle && now - session.BeganAt < MaxLife;
    }

    private static string IdOf(string key) => Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes(key)));

    private static Dictionary<string, Session> Read(Database database) =>
        database
            .Read(c =>
                c.Rows("SELECT * FROM sessions", row => new Session(
                    Convert.ToHexString((byte[])row.GetValue("key_hash")),
                    row.Time("began_at"),
                    row.Time("seen_at"),
                    row.GetString("browser"),
                    row.GetString("address"),
                    row.GetBoolean("by_link")
                ))
            )
            .ToDictionary(session => session.Id);
}
