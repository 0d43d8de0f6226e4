using System.Text.Json;
using System.Text.Json.Serialization;
using Wexil.Core.Visitors;

namespace Wexil.Core.Targeting;

/// <summary>A list that names who is in, or who is out; empty, everybody is in.</summary>
public sealed record IncludeExcludeList(IReadOnlyList<string> Names, bool IsOut)
{
    /// <summary>A list that names nobody: everybody is in.</summary>
    public static readonly IncludeExcludeList All = new([], true);

    /// <summary>Is a name in? Capitals do not matter.</summary>
    public bool Admits(string name)
    {
        if (Names.Count == 0)
            return true;
        for (var i = 0; i < Names.Count; i++)
            if (string.Equals(Names[i], name, StringComparison.OrdinalIgnoreCase))
                return !IsOut;
        return IsOut;
    }

    /// <inheritdoc/>
    public bool Equals(IncludeExcludeList? other) =>
        other is not null && Names.SequenceEqual(other.Names) && (Names.Count == 0 || IsOut == other.IsOut);

    /// <inheritdoc/>
    public override int GetHashCode() => Names.Count;
}

/// <summary>Which visits take part; the names are stored.</summary>
public enum VisitKind
{
    /// <summary>First visits and returns.</summary>
    Both,

    /// <summary>First visits only.</summary>
    First,

    /// <summary>Returning visitors only.</summary>
    Return,
}

/// <summary>Who takes part in a test.</summary>
/// <param name="Devices">Empty for all.</param>
/// <param name="Rules">On the address. Who meets one that leaves out is out; where some take in, one of them must be
/// met.</param>
public sealed record Audience(
    IReadOnlyList<Device> Devices,
    IncludeExcludeList Countries,
    VisitKind Visits,
    IncludeExcludeList Sources,
    IncludeExcludeList Languages,
    IReadOnlyList<AddressRule> Rules
)
{
    /// <summary>Nobody is left out.</summary>
    public static readonly Audience Everyone = new(
        [],
        IncludeExcludeList.All,
        VisitKind.Both,
        IncludeExcludeList.All,
        IncludeExcludeList.All,
        []
    );
    private static readonly JsonSerializerOptions Format = new() { Converters = { new JsonStringEnumConverter() } };

    /// <summary>Nobody is left out.</summary>
    [JsonIgnore]
    public bool IsEveryone => Equals(Everyone);

    /// <summary>Does a visitor take part?</summary>
    public bool Admits(Traits traits, string query) => Judge(traits, query).TakesPart;

    /// <summary>Does a visitor take part, and which rule says so?</summary>
    public Admission Judge(Traits traits, string query)
    {
        if (Devices.Count > 0 && !Devices.Contains(traits.Device))
            return new(AdmissionReason.Device);
        if (!Countries.Admits(traits.Country))
            return new(AdmissionReason.Country);
        if (Visits != VisitKind.Both && traits.IsReturning != (Visits == VisitKind.Return))
            return new(AdmissionReason.Visit);
        if (!Sources.Admits(traits.Source))
            return new(AdmissionReason.Source);
        if (!Languages.Admits(traits.Language))
            return new(AdmissionReason.Language);
        return JudgeRules(query);
    }

    /// <summary>As stored.</summary>
    public string ToJson() => JsonSerializer.Serialize(this, Format);

    /// <summary>Reads what <see cref="ToJson"/> wrote; an empty text is everyone.</summary>
    public static Audience Parse(string json) =>
        json.Length == 0 ? Everyone : JsonSerializer.Deserialize<Audience>(json, Format)!;

    /// <inheritdoc/>
    public bool Equals(Audience? other) =>
        other is not null
        && Devices.SequenceEqual(other.Devices)
        && Countries.Equals(other.Countries)
        && Visits == other.Visits
        && Sources.Equals(other.Sources)
        && Languages.Equals(other.Languages)
        && Rules.SequenceEqual(other.Rules);

    /// <inheritdoc/>
    public override int GetHashCode() =>
        HashCode.Combine(Devices.Count, Countries, Visits, Sources, Languages, Rules.Count);

    private Admission JudgeRules(string query)
    {
        AddressRule? met = null;
        var takesIn = false;
        for (var i = 0; i < Rules.Count; i++)
        {
            var rule = Rules[i];
            takesIn |= rule.TakesIn;
            if ((rule.TakesIn && met is not null) || !rule.Matches(query))
                continue;
            if (!rule.TakesIn)
                return new(AdmissionReason.RuleAgainst, rule);
            met = rule;
        }
        if (!takesIn)
            return new(AdmissionReason.Fits);
        return met is null ? new(AdmissionReason.NoRuleMet) : new(AdmissionReason.RuleMet, met);
    }
}
