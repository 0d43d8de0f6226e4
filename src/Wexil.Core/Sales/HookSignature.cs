using System.Globalization;
using System.Security.Cryptography;
using System.Text;

namespace Wexil.Core.Sales;

/// <summary>
/// Signs what a payment service says, so that nobody else can say it: HMAC-SHA256 over the timestamp, a point and the body as sent,
/// in small hexadecimal digits. The timestamp is Unix seconds.
/// </summary>
public static class HookSignature
{
    public const string TimestampHeader = "X-Wexil-Timestamp", SignatureHeader = "X-Wexil-Signature";

    /// <summary>A message that is older, or further ahead of the clock, is refused: it may be somebody's copy.</summary>
    public static readonly TimeSpan Tolerance = TimeSpan.FromMinutes(5);

    public static string Of(byte[] secret, string timestamp, ReadOnlySpan<byte> body)
    {
        using var hash = IncrementalHash.CreateHMAC(HashAlgorithmName.SHA256, secret);
        hash.AppendData(Encoding.UTF8.GetBytes(timestamp + "."));
        hash.AppendData(body);
        return Convert.ToHexStringLower(hash.GetHashAndReset());
    }

    /// <summary>What is wrong with a message's signature; null when it is right and fresh.</summary>
    public static string? Problem(byte[] secret, string? timestamp, string? signature, ReadOnlySpan<byte> body, DateTimeOffset now)
    {
        if (string.IsNullOrEmpty(timestamp) || string.IsNullOrEmpty(signature)) return $"The headers {TimestampHeader} and {SignatureHeader} are missing.";
        if (!long.TryParse(timestamp, NumberStyles.None, CultureInfo.InvariantCulture, out var seconds)) return $"{TimestampHeader} is not a number of seconds.";
        if (!CryptographicOperations.FixedTimeEquals(Encoding.UTF8.GetBytes(Of(secret, timestamp, body)), Encoding.UTF8.GetBytes(signature))) return "The signature does not fit the body and the secret.";
        return Math.Abs(now.ToUnixTimeSeconds() - (decimal)seconds) > (decimal)Tolerance.TotalSeconds ? "The timestamp is more than five minutes from our clock." : null;
    }
}
