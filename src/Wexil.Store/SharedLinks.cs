using System.Security.Cryptography;
using System.Text;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>A link that opens something to somebody without a sign-in.</summary>
public sealed record SharedLink(long Id, DateTimeOffset Until);

/// <summary>
/// Links of one kind: they are over after a time, can be withdrawn, and of their tokens only hashes are kept.
/// </summary>
/// <param name="table">With the columns id, token_hash and until.</param>
/// <param name="subject">The column of what a link opens.</param>
public sealed class SharedLinks(
    Database database,
    Journal journal,
    TimeProvider time,
    string table,
    string subject,
    TimeSpan lasts
)
{
    /// <summary>How long a link opens.</summary>
    public TimeSpan Lasts => lasts;

    /// <summary>Makes a link and returns its token.</summary>
    public async Task<string> MakeAsync(long opens)
    {
        var token = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(20));
        await journal.WriteAsync(c =>
            c.Execute(
                $"INSERT INTO {table} ({subject}, token_hash, until) VALUES ($1, $2, $3)",
                opens,
                Hash(token),
                (time.GetUtcNow() + lasts).ToUnixTimeMilliseconds()
            )
        );
        return token;
    }

    /// <summary>Those that still open.</summary>
    public IReadOnlyList<SharedLink> For(long opens) =>
        database.Read(c =>
            c.Rows(
                $"SELECT id, until FROM {table} WHERE {subject} = $1 AND until > $2 ORDER BY id",
                row => new SharedLink(row.GetInt64(0), row.Time(1)),
                opens,
                time.GetUtcNow().ToUnixTimeMilliseconds()
            )
        );

    /// <summary>The link opens nothing any more.</summary>
    public Task WithdrawAsync(long opens, long link) =>
        journal.WriteAsync(c => c.Execute($"DELETE FROM {table} WHERE id = $1 AND {subject} = $2", link, opens));

    /// <summary>What a token opens; null when it never did, was withdrawn or is over.</summary>
    public long? Open(string token) =>
        database.Read(c =>
            c.Number(
                $"SELECT {subject} FROM {table} WHERE token_hash = $1 AND until > $2",
                Hash(token),
                time.GetUtcNow().ToUnixTimeMilliseconds()
            )
        );

    internal static byte[] Hash(string token) => SHA256.HashData(Encoding.UTF8.GetBytes(token));
}
