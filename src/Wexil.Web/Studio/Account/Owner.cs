using Microsoft.AspNetCore.Identity;
using Wexil.Store;

namespace Wexil.Web.Studio.Account;

/// <summary>The one person who works here.</summary>
public sealed class Owner(SettingStore settings) : IDisposable
{
    public const int MinPasswordLength = 10,
        MaxPasswordLength = 200;

    private readonly PasswordHasher<Owner> _hasher = new();

    // A check takes a core for a while, on purpose; strangers get at two cores at most.
    private readonly SemaphoreSlim _checks = new(2);

    public bool HasPassword => settings.PasswordHash is not null;

    public async Task<bool> VerifyAsync(string password)
    {
        if (settings.PasswordHash is not { } hash || password.Length > MaxPasswordLength)
            return false;
        await _checks.WaitAsync();
        try
        {
            return _hasher.VerifyHashedPassword(this, hash, password) != PasswordVerificationResult.Failed;
        }
        finally
        {
            _checks.Release();
        }
    }

    public Task SetPasswordAsync(string password) =>
        settings.SetPasswordHashAsync(_hasher.HashPassword(this, password));

    /// <inheritdoc/>
    public void Dispose() => _checks.Dispose();
}
