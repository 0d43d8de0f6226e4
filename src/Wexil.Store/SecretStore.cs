using System.Globalization;
using System.Security.Cryptography;
using System.Text;

namespace Wexil.Store;

/// <summary>Keeps the program's own secrets, sealed.</summary>
public sealed class SecretStore(SettingStore settings, ISecretSeal seal, TimeProvider time)
{
    /// <summary>How long the secret before is still good after a new one is made, unless it is ended sooner.</summary>
    public static readonly TimeSpan BeforeLasts = TimeSpan.FromDays(30);

    /// <summary>Asked for again within it, the secret just made is meant: a button was pressed twice.</summary>
    private static readonly TimeSpan Again = TimeSpan.FromMinutes(1);

    private const string TokenKeyName = "visitor-token-key",
        HookName = "hook-secret",
        HookBeforeName = "hook-secret-before",
        HookBeforeUntilName = "hook-secret-before-until",
        Mark = "sealed ";

    /// <summary>What payment services sign with; null until the owner makes one.</summary>
    public byte[]? HookSecret => Get(HookName) is { } secret ? Encoding.UTF8.GetBytes(secret) : null;

    /// <summary>Every secret that a message may be signed with, the newest first.</summary>
    public IReadOnlyList<byte[]> HookSecrets =>
        [
            .. HookSecret is { } secret ? [secret] : Array.Empty<byte[]>(),
            .. BeforeUntil is not null && Get(HookBeforeName) is { } before
                ? [Encoding.UTF8.GetBytes(before)]
                : Array.Empty<byte[]>(),
        ];

    /// <summary>Until when the secret before the last one is good too; null where only one is.</summary>
    public DateTimeOffset? BeforeUntil =>
        long.TryParse(settings.Get(HookBeforeUntilName), CultureInfo.InvariantCulture, out var until)
        && until > time.GetUtcNow().ToUnixTimeMilliseconds()
            ? DateTimeOffset.FromUnixTimeMilliseconds(until)
            : null;

    /// <summary>
    /// What servers say who tell of signals with a value, the newest first; one is made from each secret.
    /// </summary>
    public IReadOnlyList<string> ServerKeys =>
        [.. HookSecrets.Select(secret => Convert.ToHexStringLower(HMACSHA256.HashData(secret, "server key"u8)))];

    /// <summary>
    /// Makes a new secret for payment services, and a new server key with it. They are shown to the owner this once;
    /// the ones before stay good for thirty days, or until they are ended.
    /// </summary>
    public async Task<string> RenewHookSecretAsync()
    {
        // Another one would end the secret that the payment service still signs with.
        if (BeforeUntil is { } last && last - BeforeLasts > time.GetUtcNow() - Again && Get(HookName) is { } fresh)
            return fresh;
        var secret = Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(24));
        if (Get(HookName) is { } before)
        {
            var until = (time.GetUtcNow() + BeforeLasts).ToUnixTimeMilliseconds();
            await SetAsync(HookBeforeName, before);
            await settings.SetAsync(HookBeforeUntilName, until.ToString(CultureInfo.InvariantCulture));
        }
        await SetAsync(HookName, secret);
        return secret;
    }

    /// <summary>Messages that are signed with the secret before the last one are refused from now on.</summary>
    public async Task EndHookSecretBeforeAsync()
    {
        await settings.SetAsync(HookBeforeUntilName, "");
        await settings.SetAsync(HookBeforeName, "");
    }

    /// <summary>The key that visitor tokens are signed with, made on first use.</summary>
    /// <exception cref="StoreException">It was sealed with keys that are not here.</exception>
    public async Task<byte[]> TokenKeyAsync()
    {
        if (Get(TokenKeyName) is null)
            await SetAsync(TokenKeyName, Convert.ToBase64String(RandomNumberGenerator.GetBytes(32)), overwrite: false);
        return Convert.FromBase64String(Get(TokenKeyName)!);
    }

    /// <summary>Seals what an earlier version kept as it was.</summary>
    public async Task SealAllAsync()
    {
        foreach (var name in (string[])[TokenKeyName, HookName])
            if (settings.Get(name) is { Length: > 0 } open && !open.StartsWith(Mark, StringComparison.Ordinal))
                await SetAsync(name, open);
    }

    private string? Get(string name) =>
        settings.Get(name) switch
        {
            null or "" => null,
            var kept when kept.StartsWith(Mark, StringComparison.Ordinal) => seal.Open(kept[Mark.Length..]),
            var open => open,
        };

    private Task SetAsync(string name, string secret, bool overwrite = true) =>
        settings.SetAsync(name, Mark + seal.Seal(secret), overwrite);
}
