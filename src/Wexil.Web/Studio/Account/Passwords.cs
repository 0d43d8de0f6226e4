using System.Collections.Concurrent;
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

    // A check takes a core for a while, on purpose; all together get at two cores at most.
    private readonly SemaphoreSlim _checks = new(2);

    // Strangers to an account wait for each other, so that they take one of the two, and neither who signs in to
    // another account nor a browser from which somebody signed in before waits for all of them.
    private readonly ConcurrentDictionary<MemberId, SemaphoreSlim> _strangers = [];

    // Asking for a name that nobody has takes as long as for another, so that it does not tell which names there are.
    private readonly Lazy<string> _nobody = new(() =>
        new PasswordHasher<object>(options).HashPassword(Nobody, "nobody's")
    );

    /// <param name="member">Null for a name that nobody has: no password is right.</param>
    /// <param name="isKnown">The member signed in from this browser before.</param>
    public async Task<bool> VerifyAsync(Member? member, string password, bool isKnown = false)
    {
        if (password.Length > MaxLength)
            return false;
        if (isKnown)
            return await CheckAsync(member, password);
        var strangers = _strangers.GetOrAdd(member?.Id ?? default, _ => new(1));
        await strangers.WaitAsync();
        try
        {
            return await CheckAsync(member, password);
        }
        finally
        {
            strangers.Release();
        }
    }

    private async Task<bool> CheckAsync(Member? member, string password)
    {
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
    public void Dispose()
    {
        _checks.Dispose();
        foreach (var strangers in _strangers.Values)
            strangers.Dispose();
    }
}
