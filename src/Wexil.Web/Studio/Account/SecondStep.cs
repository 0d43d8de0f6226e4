using System.Security.Cryptography;
using System.Text;
using OtpNet;
using Wexil.Store;
using Wexil.Store.Team;

namespace Wexil.Web.Studio.Account;

/// <summary>
/// The second step of signing in: a code that an app on the member's telephone makes (RFC 6238, six digits, thirty
/// seconds), or a recovery code. No code works twice.
/// </summary>
public sealed class SecondStep(TeamStore team, ISecretSeal seal, TimeProvider time)
{
    private const int SecretSize = 20,
        Codes = 10,
        CodeSize = 10;

    // The clock of a telephone may be half a minute off.
    private static readonly VerificationWindow Window = new(previous: 1, future: 1);

    /// <summary>A secret that nobody has yet, in the letters in which apps take it.</summary>
    public static string NewSecret() => Base32Encoding.ToString(RandomNumberGenerator.GetBytes(SecretSize));

    /// <summary>What a code in a picture says to an app.</summary>
    public static string AddressFor(string secret, string member) =>
        new OtpUri(OtpType.Totp, secret, member, "Wexil").ToString();

    /// <summary>Asks for codes from now on, if the first one is right.</summary>
    /// <returns>The recovery codes, shown this once; null for a wrong code.</returns>
    public async Task<IReadOnlyList<string>?> TurnOnAsync(Member member, string secret, string code)
    {
        if (StepOf(secret, code) is not { } step)
            return null;
        var codes = NewCodes();
        await team.SetSecondStepAsync(member.Id, seal.Seal(secret), step, codes.Select(Bare));
        return codes;
    }

    /// <summary>The secret is the one that a member's codes are made from.</summary>
    public bool IsSecretOf(Member member, string secret) =>
        member.CodeSecret is { } kept && string.Equals(seal.Open(kept), secret, StringComparison.Ordinal);

    /// <summary>Other recovery codes, shown this once; those before work no more.</summary>
    public async Task<IReadOnlyList<string>> RenewCodesAsync(Member member)
    {
        var codes = NewCodes();
        await team.SetRecoveryCodesAsync(member.Id, codes.Select(Bare));
        return codes;
    }

    /// <summary>True for a code that is right now and was not used, which uses it up.</summary>
    /// <param name="typed">Spaces, dashes and capitals do not matter.</param>
    public async Task<bool> UseAsync(Member member, string typed)
    {
        var code = Bare(typed);
        return member.CodeSecret is { } secret
            && (
                StepOf(seal.Open(secret), code) is { } step
                    ? await team.UseCodeStepAsync(member.Id, step)
                    : await team.UseRecoveryCodeAsync(member.Id, code)
            );
    }

    private long? StepOf(string secret, string code) =>
        new Totp(Base32Encoding.ToBytes(secret)).VerifyTotp(
            time.GetUtcNow().UtcDateTime,
            Bare(code),
            out var step,
            Window
        )
            ? step
            : null;

    private static string[] NewCodes() =>
        [
            .. Enumerable
                .Range(0, Codes)
                .Select(_ => Base32Encoding.ToString(RandomNumberGenerator.GetBytes(CodeSize)).ToLowerInvariant())
                .Select(code => string.Join('-', code.Chunk(4).Select(part => new string(part)))),
        ];

    private static string Bare(string typed)
    {
        var bare = new StringBuilder();
        foreach (var letter in typed)
            if (char.IsAsciiLetterOrDigit(letter))
                bare.Append(char.ToLowerInvariant(letter));
        return bare.ToString();
    }
}
