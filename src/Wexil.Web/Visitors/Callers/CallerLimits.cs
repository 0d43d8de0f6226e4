using System.Net;
using System.Security.Cryptography;
using System.Text;
using System.Threading.RateLimiting;

namespace Wexil.Web.Visitors.Callers;

/// <summary>
/// How much one network may send. Addresses are hashed with a key of the day that is in memory alone, so that nothing
/// tells afterwards who came.
/// </summary>
public sealed class CallerLimits(TimeProvider time) : IDisposable
{
    /// <summary>
    /// So many opt-ins at once, and one a second after that: all of a telephone company may share an address.
    /// </summary>
    public const int OptInsAtOnce = 60;

    /// <summary>So many messages of payment services at once, and twenty a second after that.</summary>
    public const int SalesAtOnce = 300;

    /// <summary>So many signals at once, and thirty a second after that.</summary>
    public const int SignalsAtOnce = 300;

    /// <summary>How long to wait before another try, in seconds.</summary>
    public const int RetryAfter = 60;

    private const int KeySize = 32;

    // Networks share so many places by a hash that nobody outside foresees: memory stays small however many come.
    private const int Places = 1 << 14;

    private readonly PartitionedRateLimiter<int> _optIns = Limiter(OptInsAtOnce, perSecond: 1),
        _sales = Limiter(SalesAtOnce, perSecond: 20),
        _signals = Limiter(SignalsAtOnce, perSecond: 30);
    private readonly Lock _lock = new();
    private byte[] _key = [];
    private DateOnly _day;

    /// <summary>False where the caller's network has sent too many opt-ins; the answer is begun then.</summary>
    public bool AllowOptIn(HttpContext http) => Allow(_optIns, http);

    /// <summary>The same for a message about a sale.</summary>
    public bool AllowSale(HttpContext http) => Allow(_sales, http);

    /// <summary>The same for a signal.</summary>
    public bool AllowSignal(HttpContext http) => Allow(_signals, http);

    /// <inheritdoc/>
    public void Dispose()
    {
        _optIns.Dispose();
        _sales.Dispose();
        _signals.Dispose();
    }

    private bool Allow(PartitionedRateLimiter<int> limiter, HttpContext http)
    {
        // Where everybody seems to come from this machine, a proxy does not say who they are.
        // Callers whose address a proxy does not say share the limits of one network.
        var address = http.Connection.RemoteIpAddress;
        if (address is not null && IPAddress.IsLoopback(address))
            return true;
        using var lease = limiter.AttemptAcquire(Place(address));
        if (lease.IsAcquired)
            return true;
        http.Response.StatusCode = StatusCodes.Status429TooManyRequests;
        http.Response.Headers.RetryAfter = $"{RetryAfter}";
        return false;
    }

    private static PartitionedRateLimiter<int> Limiter(int atOnce, int perSecond)
    {
        var bucket = new TokenBucketRateLimiterOptions
        {
            TokenLimit = atOnce,
            TokensPerPeriod = perSecond,
            ReplenishmentPeriod = TimeSpan.FromSeconds(1),
        };
        return PartitionedRateLimiter.Create<int, int>(place =>
            RateLimitPartition.GetTokenBucketLimiter(place, _ => bucket)
        );
    }

    private int Place(IPAddress? address)
    {
        var hash = HMACSHA256.HashData(KeyOfToday(), Encoding.ASCII.GetBytes(NetworkName.Of(address)));
        return (int)(BitConverter.ToUInt32(hash) % Places);
    }

    private byte[] KeyOfToday()
    {
        var today = DateOnly.FromDateTime(time.GetUtcNow().UtcDateTime);
        lock (_lock)
        {
            if (_key.Length == 0 || _day != today)
                (_key, _day) = (RandomNumberGenerator.GetBytes(KeySize), today);
            return _key;
        }
    }
}
