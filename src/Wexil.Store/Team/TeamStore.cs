using System.Data;
using System.Security.Cryptography;
using System.Text;
using Microsoft.Data.Sqlite;
using Wexil.Store.Recording;

namespace Wexil.Store.Team;

/// <summary>Keeps who may sign in, and as what. There is always an owner.</summary>
public sealed class TeamStore(Database database, Journal journal, TimeProvider time)
{
    // Every request asks who it comes from.
    private readonly ByHeart<IReadOnlyList<Member>> _members = new(() => Read(database));

    /// <summary>All of them, in the order in which they joined.</summary>
    public IReadOnlyList<Member> All => _members.Value;

    /// <summary>Null for one that was removed.</summary>
    public Member? Find(MemberId id) => All.FirstOrDefault(member => member.Id == id);

    /// <param name="name">Capitals or not, and with any spaces.</param>
    public Member? Find(string name) => All.FirstOrDefault(member => IsSame(member.Name, name));

    /// <summary>A name as it is kept: one space between words, and none around them.</summary>
    public static string Tidy(string name) =>
        string.Join(' ', name.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries));

    private static bool IsSame(string one, string other) =>
        string.Equals(Tidy(one), Tidy(other), StringComparison.OrdinalIgnoreCase);

    /// <summary>The owner that every Wexil begins with, or whoever is owner in their place.</summary>
    public Member Owner => All.First(member => member.Role == Role.Owner);

    /// <summary>Adds somebody.</summary>
    /// <param name="invitation">Is used up.</param>
    /// <returns>Null where the name is taken or the invitation is not open any more.</returns>
    public Task<MemberId?> JoinAsync(Invitation invitation, string name, string passwordHash) =>
        ChangeAsync(c =>
        {
            var (key, now) = (Convert.FromHexString(invitation.Id), time.GetUtcNow().ToUnixTimeMilliseconds());
            if (
                IsTaken(c, name, except: null)
                || c.Execute("DELETE FROM invitations WHERE token_hash = $1 AND until > $2", key, now) == 0
            )
                return (MemberId?)null;
            return new MemberId(
                c.Insert(
                    "INSERT INTO members (name, role, password_hash, joined_at) VALUES ($1, $2, $3, $4)",
                    Tidy(name),
                    NameOf(invitation.Role),
                    passwordHash,
                    now
                )
            );
        });

    /// <summary>Keeps the hash of a password.</summary>
    public Task SetPasswordHashAsync(MemberId id, string hash) =>
        ChangeAsync(c => c.Execute("UPDATE members SET password_hash = $2 WHERE id = $1", id.Value, hash));

    /// <returns>False where another has the name.</returns>
    public Task<bool> RenameAsync(MemberId id, string name) =>
        ChangeAsync(c =>
            !IsTaken(c, name, id) && c.Execute("UPDATE members SET name = $2 WHERE id = $1", id.Value, Tidy(name)) > 0
        );

    /// <returns>False where no owner would be left.</returns>
    public Task<bool> SetRoleAsync(MemberId id, Role role) =>
        ChangeAsync(c =>
            (role == Role.Owner || HasOtherOwner(c, id))
            && c.Execute("UPDATE members SET role = $2 WHERE id = $1", id.Value, NameOf(role)) > 0
        );

    /// <summary>Somebody may not sign in any more; their sessions are over.</summary>
    /// <returns>False where no owner would be left.</returns>
    public Task<bool> RemoveAsync(MemberId id) =>
        ChangeAsync(c =>
        {
            if (!HasOtherOwner(c, id))
                return false;
            c.Execute("DELETE FROM recovery_codes WHERE member_id = $1", id.Value);
            c.Execute("DELETE FROM sessions WHERE member_id = $1", id.Value);
            return c.Execute("DELETE FROM members WHERE id = $1", id.Value) > 0;
        });

    /// <summary>From now on codes of a telephone are asked for too.</summary>
    /// <param name="secret">Sealed.</param>
    /// <param name="step">The time step of the code that was tried.</param>
    /// <param name="recoveryCodes">Each works once instead; of the ones before none does.</param>
    public Task SetSecondStepAsync(MemberId id, string secret, long step, IEnumerable<string> recoveryCodes) =>
        ChangeAsync(c =>
        {
            c.Execute("UPDATE members SET code_secret = $2, code_step = $3 WHERE id = $1", id.Value, secret, step);
            ReplaceCodes(c, id, recoveryCodes);
        });

    /// <summary>Other recovery codes, in place of all before.</summary>
    public Task SetRecoveryCodesAsync(MemberId id, IEnumerable<string> codes) =>
        ChangeAsync(c => ReplaceCodes(c, id, codes));

    /// <summary>The password alone signs in again.</summary>
    public Task DropSecondStepAsync(MemberId id) =>
        ChangeAsync(c =>
        {
            c.Execute("UPDATE members SET code_secret = NULL WHERE id = $1", id.Value);
            ReplaceCodes(c, id, []);
        });

    /// <summary>Uses a code of a telephone up.</summary>
    /// <returns>False where it, or a later one, was used before.</returns>
    public Task<bool> UseCodeStepAsync(MemberId id, long step) =>
        ChangeAsync(c =>
            c.Execute("UPDATE members SET code_step = $2 WHERE id = $1 AND code_step < $2", id.Value, step) > 0
        );

    /// <summary>Uses a recovery code up.</summary>
    /// <returns>False where it was used before, or never was one.</returns>
    public Task<bool> UseRecoveryCodeAsync(MemberId id, string code) =>
        ChangeAsync(c =>
            c.Execute("DELETE FROM recovery_codes WHERE code_hash = $2 AND member_id = $1", id.Value, Hash(id, code))
            > 0
        );

    /// <summary>What a role is called in the data file.</summary>
    internal static string NameOf(Role role) => role.ToString().ToLowerInvariant();

    private static void ReplaceCodes(SqliteConnection c, MemberId id, IEnumerable<string> codes)
    {
        c.Execute("DELETE FROM recovery_codes WHERE member_id = $1", id.Value);
        foreach (var code in codes)
            c.Execute("INSERT INTO recovery_codes VALUES ($2, $1)", id.Value, Hash(id, code));
    }

    // Of eighty random bits a hash without salt is enough.
    private static byte[] Hash(MemberId id, string code) =>
        SHA256.HashData(Encoding.UTF8.GetBytes($"{id.Value} {code}"));

    private static bool IsTaken(SqliteConnection c, string name, MemberId? except) =>
        c.Rows("SELECT name FROM members WHERE id IS NOT $1", row => row.GetString(0), except?.Value)
            .Exists(taken => IsSame(taken, name));

    private static bool HasOtherOwner(SqliteConnection c, MemberId id) =>
        c.Number("SELECT 1 FROM members WHERE role = 'owner' AND id <> $1", id.Value) is not null;

    private Task ChangeAsync(Action<SqliteConnection> change) =>
        ChangeAsync(c =>
        {
            change(c);
            return true;
        });

    private async Task<T> ChangeAsync<T>(Func<SqliteConnection, T> change)
    {
        var result = await journal.WriteAsync(change);
        _members.Forget();
        return result;
    }

    private static IReadOnlyList<Member> Read(Database database) =>
        database.Read(c =>
            c.Rows(
                """
                SELECT m.*, (SELECT count(*) FROM recovery_codes WHERE member_id = m.id) AS codes
                FROM members m ORDER BY id
                """,
                row => new Member(
                    new(row.GetInt64("id")),
                    row.GetString("name"),
                    Enum.Parse<Role>(row.GetString("role"), ignoreCase: true),
                    row.TextOrNull("password_hash"),
                    row.TimeOrNull("joined_at"),
                    row.TextOrNull("code_secret"),
                    row.GetInt64("code_step"),
                    row.GetInt32("codes")
                )
            )
        );
}
