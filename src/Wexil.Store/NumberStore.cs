using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>Numbers from elsewhere, under a name.</summary>
/// <param name="Address">Where in Studio they stand; it holds them all.</param>
public sealed record KeptNumbers(long Id, string Name, string Address, DateTimeOffset KeptAt);

/// <summary>What the owner keeps of the workbench.</summary>
public sealed class NumberStore(Database database, Journal journal, TimeProvider time)
{
    /// <summary>The newest first.</summary>
    public IReadOnlyList<KeptNumbers> All() =>
        database.Read(c =>
            c.Rows(
                "SELECT id, name, address, kept_at FROM kept_numbers ORDER BY kept_at DESC, id DESC",
                row => new KeptNumbers(row.GetInt64(0), row.GetString(1), row.GetString(2), row.Time(3))
            )
        );

    /// <summary>Numbers of the same name give way to these.</summary>
    public Task KeepAsync(string name, string address) =>
        journal.WriteAsync(c =>
        {
            c.Execute("DELETE FROM kept_numbers WHERE name = $1", name);
            c.Execute(
                "INSERT INTO kept_numbers (name, address, kept_at) VALUES ($1, $2, $3)",
                name,
                address,
                time.GetUtcNow().ToUnixTimeMilliseconds()
            );
        });

    /// <summary>Forgets numbers that were kept under a name.</summary>
    public Task DropAsync(long id) => journal.WriteAsync(c => c.Execute("DELETE FROM kept_numbers WHERE id = $1", id));
}
