using System.Buffers.Text;
using System.Collections.Concurrent;
using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using Wexil.App.Tickets;

namespace Wexil.Web.Studio.Account;

/// <summary>
/// Keys that open Studio once. The program itself makes one for the first run; <c>wexil sign-in</c> makes others,
/// sealed with the keys of the data folder, since whoever can read that has everything anyway.
/// </summary>
public sealed class SignInLinks
{
    private const string Purpose = "sign-in";
    private static readonly TimeSpan Life = TimeSpan.FromDays(1),
        TicketLife = TimeSpan.FromMinutes(15);
    private readonly ITicketSeal _seal;
    private readonly TimeProvider _time;
    private readonly DateTimeOffset _began;
    private readonly ConcurrentDictionary<string, DateTimeOffset> _open = [],
        _used = [];

    /// <summary>Tickets that were made before this moment are refused: one of them may have been used.</summary>
    public SignInLinks(ITicketSeal seal, TimeProvider time) => (_seal, _time, _began) = (seal, time, time.GetUtcNow());

    /// <summary>A key that is held in memory, for a day.</summary>
    public string Issue()
    {
        var key = Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(24));
        _open[Hash(key)] = _time.GetUtcNow() + Life;
        return key;
    }

    /// <summary>A key that the running program will know by its seal, for a quarter of an hour.</summary>
    public static string IssueTicket(ITicketSeal seal, DateTimeOffset now) =>
        seal.Seal(Purpose, now.ToUnixTimeMilliseconds().ToString(CultureInfo.InvariantCulture), TicketLife);

    public bool IsOpen(string? key) =>
        key is not null && _open.TryGetValue(Hash(key), out var until) && _time.GetUtcNow() < until;

    /// <summary>Uses the key up; false when it was used before, is over, or was never ours.</summary>
    public bool Redeem(string? key) => key is not null && (RedeemOpen(key) || RedeemTicket(key));

    private bool RedeemOpen(string key) => _open.TryRemove(Hash(key), out var until) && _time.GetUtcNow() < until;

    private bool RedeemTicket(string key)
    {
        if (_seal.Open(Purpose, key) is not { } made)
            return false;
        var moment = DateTimeOffset.FromUnixTimeMilliseconds(long.Parse(made, CultureInfo.InvariantCulture));
        foreach (var (used, at) in _used)
            if (_time.GetUtcNow() - at > TicketLife)
                _used.TryRemove(used, out _);
        return moment >= _began && _used.TryAdd(Hash(key), _time.GetUtcNow());
    }

    private static string Hash(string key) => Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes(key)));
}
