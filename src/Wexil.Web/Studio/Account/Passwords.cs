using Microsoft.AspNetCore.Identity;
using Microsoft.Extensions.Options;
using Wexil.Store.Team;

namespace Wexil.Web.Studio.Account;

/// <summary>Keeps passwords as slow hashes, and says whether one is right.</summary>
/// <param name="options">How slow the hashes are.</param>
public sealed class Passwords(TeamStore team, IOptions<PasswordHasherOptions> options) : IDisposable
{
    public const int MinLength = 10,
        MaxLength = 200;

    private static readonly object Nobody = new();
    private readonly PasswordHasher<object> _hasher = new(options);

    // A check takes a core for a while, on purpose; strangers get at two cores at most.
    private readonly SemaphoreSlim _checks = new(2);

    // Asking for a name that nobody has takes as long as for another, so that it does not tell which names there are.
    private readonly Lazy<string> _nobody = new(() =>
        new PasswordHasher<object>(options).HashPassword(Nobody, "nobody's")
    );

    /// <param name="member">Null for a name that nobody has: no password is right.</param>
    public async Task<bool> VerifyAsync(Member? member, string password)
    {
        if (password.Length > MaxLength)
            return false;
        await _checks.WaitAsync();
        try
        {
            var hash = member?.PasswordHash ?? _nobody.Value;
            var isRight = _hasher.VerifyHashedPassword(Nobody, hash, password) != PasswordVerificationResult.Failed;
            return isRight && member?.PasswordHash is not null;
        }
        finally
        {
            _checks.Release();
        }
    }

    /// <summary>What is kept of a password.</summary>
    public string Hash(string password) => _hasher.HashPassword(Nobody, password);

    public Task SetAsync(MemberId member, string password) => team.SetPasswordHashAsync(member, Hash(password));

    /// <inheritdoc/>
    public void Dispose() => _checks.Dispose();
}
