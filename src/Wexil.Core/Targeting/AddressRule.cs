using System.Text.RegularExpressions;
using Wexil.Core.Common;

namespace Wexil.Core.Targeting;

/// <summary>How a rule compares a parameter of an address; the names are stored.</summary>
public enum RuleKind
{
    /// <summary>The parameter is there.</summary>
    Present,

    /// <summary>Its value is the text.</summary>
    EqualTo,

    /// <summary>Its value contains the text.</summary>
    Contains,

    /// <summary>Its value matches the regular expression.</summary>
    Matches,
}

/// <summary>A rule on a parameter of the address: who has it is taken in, or left out.</summary>
/// <param name="Value">What the parameter is compared with; not used where it must only be there. Capital and small
/// letters are the same.</param>
public sealed record AddressRule(bool TakesIn, string Parameter, RuleKind Kind, string Value = "")
{
    /// <summary>In characters.</summary>
    public const int MaxPatternLength = 200;
    private readonly Lazy<Regex?> _pattern = new(() => Kind == RuleKind.Matches ? Compile(Value) : null);

    /// <summary>What is wrong with a rule as a person wrote it; null when nothing is.</summary>
    public string? Problem()
    {
        if (Parameter.Length is 0 or > 60)
            return "Enter a parameter, such as utm_campaign.";
        if (Kind == RuleKind.Present)
            return null;
        if (Value.Length == 0)
            return "Enter a value.";
        if (Value.Length > MaxPatternLength)
            return $"At most {MaxPatternLength} characters.";
        return Kind == RuleKind.Matches && Compile(Value) is null
            ? "This is not a valid regular expression, or it uses look-arounds or back-references, which are "
                + "not supported."
            : null;
    }

    /// <summary>Does the query of an address meet the rule?</summary>
    public bool Matches(string query)
    {
        foreach (var part in AddressQuery.PartsOf(query))
            if (part.Is(Parameter) && Fits(part.Value))
                return true;
        return false;
    }

    private bool Fits(ReadOnlySpan<char> value) =>
        Kind switch
        {
            RuleKind.Present => true,
            RuleKind.EqualTo => value.Equals(Value, StringComparison.OrdinalIgnoreCase),
            RuleKind.Contains => value.Contains(Value, StringComparison.OrdinalIgnoreCase),
            _ => _pattern.Value?.IsMatch(value) ?? false,
        };

    /// <inheritdoc/>
    public bool Equals(AddressRule? other) =>
        other is not null
        && (TakesIn, Parameter, Kind, Value) == (other.TakesIn, other.Parameter, other.Kind, other.Value);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(TakesIn, Parameter, Kind, Value);

    // Without backtracking the time grows with the text's length only, whatever the pattern.
    private static Regex? Compile(string pattern)
    {
        try
        {
            return new(pattern, RegexOptions.NonBacktracking | RegexOptions.IgnoreCase | RegexOptions.CultureInvariant);
        }
        catch (Exception error) when (error is ArgumentException or NotSupportedException)
        {
            return null;
        }
    }
}
