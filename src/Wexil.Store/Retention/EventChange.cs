using Microsoft.Data.Sqlite;

namespace Wexil.Store.Retention;

/// <summary>What an event says once it names nobody.</summary>
/// <param name="Number">The event.</param>
/// <param name="Visitor">Whose it is from now on; null leaves that as it is.</param>
internal readonly record struct EventChange(long Number, string Data, byte[]? Visitor = null)
{
    public void Write(SqliteConnection c) =>
        c.Execute("UPDATE events SET data = $2, visitor = coalesce($3, visitor) WHERE seq = $1", Number, Data, Visitor);
}
