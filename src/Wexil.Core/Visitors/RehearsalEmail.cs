namespace Wexil.Core.Visitors;

/// <summary>
/// The e-mail address that a rehearsal visitor gives. It names the visitor, so that an order is recognized as a
/// rehearsal's even where the checkout lost the visitor's token. No mail reaches it: ".invalid" is no domain (RFC
/// 2606).
/// </summary>
public static class RehearsalEmail
{
    private const string Before = "rehearsal-",
        Behind = "@wexil.invalid";

    /// <summary>In small letters, since services change capitals.</summary>
    public static string For(VisitorId visitor) => $"{Before}{visitor.Value:n}{Behind}";

    /// <summary>The rehearsal visitor whose address it is; null for anybody else's.</summary>
    public static VisitorId? Read(string email) =>
        email.Length == Before.Length + 32 + Behind.Length
        && email.StartsWith(Before, StringComparison.OrdinalIgnoreCase)
        && email.EndsWith(Behind, StringComparison.OrdinalIgnoreCase)
        && Guid.TryParseExact(email.AsSpan(Before.Length, 32), "n", out var id)
        && new VisitorId(id) is { IsRehearsal: true } visitor
            ? visitor
            : null;
}
