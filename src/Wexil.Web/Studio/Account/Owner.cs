using System.Security.Claims;
using Microsoft.AspNetCore.Authentication;
using Microsoft.AspNetCore.Identity;
using Wexil.Store;

namespace Wexil.Web.Studio.Account;

/// <summary>The one person who works here.</summary>
public sealed class Owner(SettingStore settings)
{
    public const int MinPasswordLength = 10;
    private readonly PasswordHasher<Owner> _hasher = new();

    public bool HasPassword => settings.PasswordHash is not null;

    public bool Verify(string password) =>
        settings.PasswordHash is { } hash
        && _hasher.VerifyHashedPassword(this, hash, password) != PasswordVerificationResult.Failed;

    public Task SetPasswordAsync(string password) =>
        settings.SetPasswordHashAsync(_hasher.HashPassword(this, password));

    public static Task SignInAsync(HttpContext http) =>
        http.SignInAsync(
            new ClaimsPrincipal(new ClaimsIdentity([new Claim(ClaimTypes.Name, "owner")], "owner")),
            new AuthenticationProperties { IsPersistent = true }
        );
}
