using System.Collections.Concurrent;
using Microsoft.Data.Sqlite;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>
/// Which ids are one browser's: an outside site keeps an id of its own, and only when the browser goes from there to a
/// link does it show by which id it is known here.
/// </summary>
public sealed class IdentityStore(Database database, Journal journal, TroubleLog troubles)
{
    // Those on their way to the file, so that the next request finds them.
    private readonly ConcurrentDictionary<VisitorId, VisitorId> _unwritten = [];

    /// <summary>From now on an id of an outside site stands for the visitor here.</summary>
    /// <exception cref="StoreException">The file cannot be written.</exception>
    public async Task JoinAsync(VisitorId elsewhere, VisitorId here)
    {
        _unwritten[elsewhere] = here;
        try
        {
            await journal.WriteAsync(c =>
                c.Execute("INSERT OR REPLACE INTO same_browsers VALUES ($1, $2)", Bytes(elsewhere), Bytes(here))
            );
        }
        finally
        {
            _unwritten.TryRemove(elsewhere, out _);
        }
    }

    /// <summary>
    /// The visitor here of an id that an outside site keeps; the same id where nothing else is known.
    /// </summary>
    public VisitorId Resolve(VisitorId elsewhere)
    {
        if (_unwritten.TryGetValue(elsewhere, out var here))
            return here;
        try
        {
            return database.SameAs(elsewhere) ?? elsewhere;
        }
        catch (SqliteException error)
        {
            // By its own id the visitor is at least counted.
            troubles.Say("It could not be looked up by which id a browser is known here", error);
            return elsewhere;
        }
    }

    private static byte[] Bytes(VisitorId visitor) => visitor.Value.ToByteArray(bigEndian: true);
}
