using System.Globalization;
using System.Net.Mail;
using System.Text;

namespace Wexil.Core.Common;

/// <summary>What passes for an e-mail address.</summary>
public static class EmailAddress
{
    /// <summary>In characters (RFC 5321, 4.5.3.1.3, without the angle brackets).</summary>
    public const int MaxLength = 254;

    /// <summary>One address on a host of a domain, and nothing around it.</summary>
    public static bool IsValid(string text) =>
        text.Length <= MaxLength
        && MailAddress.TryCreate(text, out var address)
        && address.Address == text
        && address.Host.Contains('.')
        && text.EnumerateRunes().All(IsSeen);

    /// <summary>
    /// A letter that is not seen, or that turns others around, would make one address look like another.
    /// </summary>
    private static bool IsSeen(Rune letter) =>
        Rune.GetUnicodeCategory(letter)
            is not (
                UnicodeCategory.Control
                or UnicodeCategory.Format
                or UnicodeCategory.LineSeparator
                or UnicodeCategory.ParagraphSeparator
                or UnicodeCategory.SpaceSeparator
                or UnicodeCategory.OtherNotAssigned
                or UnicodeCategory.PrivateUse
            )
        && letter != Rune.ReplacementChar;
}
