using System.Buffers.Text;
using System.Collections.Concurrent;
using System.Security.Cryptography;
using System.Text;

namespace Wexil.Web.Studio.Account;

/// <summary>
/// Keys that the program prints where it is started. Each opens Studio once, within a day; only their hashes are held.
/// </summary>
public sealed class SignInLinks(TimeProvider time)
{
    private static readonly TimeSpan Life = TimeSpan.FromDays(1);
    private readonly ConcurrentDictionary<string, DateTimeOffset> _open = [];

    public string Issue()
    {
        var key = Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(24));
        _open[Hash(key)] = time.GetUtcNow() + Life;
        return key;
    }

    public bool IsOpen(string? key) =>
        key is not null && _open.TryGetValue(Hash(key), out var until) && time.GetUtcNow() < until;

    /// <summary>Uses the key up; false when it was used before, is over, or was never ours.</summary>
    public bool Redeem(string? key) =>
        key is not null && _open.TryRemove(Hash(key), out var until) && time.GetUtcNow() < until;

    private static string Hash(string key) => Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes(key)));
}
