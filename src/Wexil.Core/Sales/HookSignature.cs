using System.Globalization;
using System.Security.Cryptography;
using System.Text;

namespace Wexil.Core.Sales;

/// <summary>
/// Signs what a payment service says, so that nobody else can say it: HMAC-SHA256 over the timestamp, a point and the
/// body as sent, in small hexadecimal digits. The timestamp is Unix seconds.
/// </summary>
public static class HookSignature
{
    /// <summary>The headers that carry when it was signed and the signature.</summary>
    public const string TimestampHeader = "X-Wexil-Timestamp",
        SignatureHeader = "X-Wexil-Signature";

    /// <summary>
    /// A message that is older, or further ahead of the clock, is refused: it may be somebody's copy.
    /// </summary>
    public static readonly TimeSpan Tolerance = TimeSpan.FromMinutes(5);

    /// <summary>The signature of a body sent at a moment, in hexadecimal letters.</summary>
    public static string Compute(byte[] secret, string timestamp, ReadOnlySpan<byte> body)
    {
        using var hash = IncrementalHash.CreateHMAC(HashAlgorithmName.SHA256, secret);
        hash.AppendData(Encoding.UTF8.GetBytes(timestamp + "."));
        hash.AppendData(body);
        return Convert.ToHexStringLower(hash.GetHashAndReset());
    }

    /// <summary>The signature of a body as a payment service with this mapping writes it into its header.</summary>
    /// <param name="timestamp">As it is sent beside; of no effect where the service sends none.</param>
    public static string Write(HookMapping mapping, byte[] secret, string timestamp, ReadOnlySpan<byte> body)
    {
        var digits =
            mapping.TimestampHeader.Length > 0
                ? Compute(secret, timestamp, body)
                : Convert.ToHexStringLower(HMACSHA256.HashData(secret, body));
        return mapping.Prefix + (mapping.IsBase64 ? Convert.ToBase64String(Convert.FromHexString(digits)) : digits);
    }

    /// <summary>What is wrong with a message's signature; null when it is right and fresh.</summary>
    /// <param name="secrets">It is right by any of them.</param>
    /// <param name="timestamp">As it was sent; a service that sends none signs the body alone.</param>
    public static string? Problem(
        HookMapping mapping,
        IReadOnlyList<byte[]> secrets,
        string? timestamp,
        string? signature,
        ReadOnlySpan<byte> body,
        DateTimeOffset now
    )
    {
        var isTimed = mapping.TimestampHeader.Length > 0;
        if (string.IsNullOrEmpty(signature) || isTimed && string.IsNullOrEmpty(timestamp))
            return isTimed
                ? $"The headers {mapping.TimestampHeader} and {mapping.SignatureHeader} are missing."
                : $"The header {mapping.SignatureHeader} is missing.";
        var seconds = 0L;
        if (isTimed && !long.TryParse(timestamp, NumberStyles.None, CultureInfo.InvariantCulture, out seconds))
            return $"{mapping.TimestampHeader} is not a number of seconds.";
        var isOurs = false;
        foreach (var secret in secrets)
            isOurs |= IsSame(Write(mapping, secret, timestamp ?? "", body), signature);
        if (!isOurs)
            return "The signature does not match.";
        return isTimed && Math.Abs(now.ToUnixTimeSeconds() - (decimal)seconds) > (decimal)Tolerance.TotalSeconds
            ? "The timestamp differs by more than five minutes from Wexil’s clock."
            : null;
    }

    private static bool IsSame(string own, string signature) =>
        CryptographicOperations.FixedTimeEquals(Encoding.UTF8.GetBytes(own), Encoding.UTF8.GetBytes(signature));
}
