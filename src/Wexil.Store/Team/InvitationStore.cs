using System.Security.Cryptography;
using Wexil.Store.Recording;

namespace Wexil.Store.Team;

/// <summary>A link by which somebody may join.</summary>
/// <param name="Id">Names it; opens nothing.</param>
/// <param name="MeantFor">Whom the owner made it for; may be empty.</param>
public sealed record Invitation(string Id, Role Role, string MeantFor, DateTimeOffset Until);

/// <summary>Keeps the links by which others may join; each lets one in, within a week.</summary>
public sealed class InvitationStore(Database database, Journal journal, TimeProvider time)
{
    /// <summary>How long a link opens.</summary>
    public static readonly TimeSpan Life = TimeSpan.FromDays(7);

    /// <summary>Makes a link and returns its token, which is not kept.</summary>
    public async Task<string> MakeAsync(Role role, string meantFor)
    {
        var (token, now) = (Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(20)), time.GetUtcNow());
        await journal.WriteAsync(c =>
        {
            c.Execute("DELETE FROM invitations WHERE until <= $1", now.ToUnixTimeMilliseconds());
            c.Execute(
                "INSERT INTO invitations (token_hash, role, meant_for, made_at, until) VALUES ($1, $2, $3, $4, $5)",
                Hash(token),
                TeamStore.NameOf(role),
                meantFor,
                now.ToUnixTimeMilliseconds(),
                (now + Life).ToUnixTimeMilliseconds()
            );
        });
        return token;
    }

    /// <summary>Those that still open, the newest first.</summary>
    public IReadOnlyList<Invitation> Open() =>
        database.Read(c =>
            c.Rows(
                "SELECT token_hash, role, meant_for, until FROM invitations WHERE until > $1 ORDER BY made_at DESC",
                row => new Invitation(
                    Convert.ToHexString((byte[])row.GetValue(0)),
                    Enum.Parse<Role>(row.GetString(1), ignoreCase: true),
                    row.GetString(2),
                    row.Time(3)
                ),
                time.GetUtcNow().ToUnixTimeMilliseconds()
            )
        );

    /// <summary>What a token opens; null when it never did, was used or withdrawn, or is over.</summary>
    public Invitation? Find(string? token) =>
        token is null ? null : Open().FirstOrDefault(one => one.Id == Convert.ToHexString(Hash(token)));

    /// <summary>The link opens nothing any more.</summary>
    public Task WithdrawAsync(Invitation invitation) =>
        journal.WriteAsync(c =>
            c.Execute("DELETE FROM invitations WHERE token_hash = $1", Convert.FromHexString(invitation.Id))
        );

    private static byte[] Hash(string token) => SharedLinks.Hash(token);
}
