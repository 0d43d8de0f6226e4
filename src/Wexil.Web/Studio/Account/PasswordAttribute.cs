using System.Collections.Frozen;
using System.ComponentModel.DataAnnotations;

namespace Wexil.Web.Studio.Account;

/// <summary>
/// A password that nobody guesses soon: long enough, not a few letters again and again, and not among the most common.
/// That there is one is for another attribute to say.
/// </summary>
/// <remarks>The common ones are those of npm's zxcvbn 4.4.2 (MIT) that are long enough.</remarks>
[AttributeUsage(AttributeTargets.Property)]
public sealed class PasswordAttribute : ValidationAttribute
{
    private const int MinDifferent = 4;

    private static readonly Lazy<FrozenSet<string>> Common = new(() =>
    {
        var assembly = typeof(PasswordAttribute).Assembly;
        using var reader = new StreamReader(assembly.GetManifestResourceStream("common-passwords.txt")!);
        return reader.ReadToEnd().Split('\n').ToFrozenSet(StringComparer.OrdinalIgnoreCase);
    });

    /// <summary>What is asked, said before it is typed and after.</summary>
    public const string Rule = "At least 10 characters: a short sentence is easy to remember.";

    /// <inheritdoc/>
    protected override ValidationResult? IsValid(object? value, ValidationContext validationContext) =>
        value is string { Length: > 0 } password && Problem(password) is { } problem
            ? new(problem, [validationContext.MemberName!])
            : ValidationResult.Success;

    private static string? Problem(string password) =>
        password.Length switch
        {
            < Passwords.MinLength => Rule,
            > Passwords.MaxLength => "At most 200 characters.",
            _ when Common.Value.Contains(password) || password.Distinct().Count() < MinDifferent =>
                "Too easy to guess. Choose something only you would think of, such as a short sentence.",
            _ => null,
        };
}
