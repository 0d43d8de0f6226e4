using System.Text.Json;
using System.Text.Json.Serialization;
using Wexil.Core.Visitors;

namespace Wexil.Core.Targeting;

/// <summary>A list that names who is in, or who is out; empty, everybody is in.</summary>
public sealed record IncludeExcludeList(IReadOnlyList<string> Names, bool IsOut)
{
    public static readonly IncludeExcludeList All = new([], true);

    public bool Admits(string name)
    {
        if (Names.Count == 0)
            return true;
        for (var i = 0; i < Names.Count; i++)
            if (string.Equals(Names[i], name, StringComparison.OrdinalIgnoreCase))
                return !IsOut;
        return IsOut;
    }

    public bool Equals(IncludeExcludeList? other) =>
        other is not null && Names.SequenceEqual(other.Names) && (Names.Count == 0 || IsOut == other.IsOut);

    public override int GetHashCode() => Names.Count;
}

/// <summary>Which visits take part; the names are stored.</summary>
public enum Visits
{
    Both,
    First,
    Return,
}

/// <summary>Does somebody take part, and which rule says so?</summary>
public readonly record struct Admission(bool TakesPart, string Why);

/// <summary>Who takes part in a test.</summary>
/// <param name="Devices">Empty for all.</param>
/// <param name="Rules">On the address. Who meets one that leaves out is out; where some take in, one of them must be
/// met.</param>
public sealed record Audience(
    IReadOnlyList<Device> Devices,
    IncludeExcludeList Countries,
    Visits Visits,
    IncludeExcludeList Sources,
    IncludeExcludeList Languages,
    IReadOnlyList<AddressRule> Rules
)
{
    public static readonly Audience Everyone = new(
        [],
        IncludeExcludeList.All,
        Visits.Both,
        IncludeExcludeList.All,
        IncludeExcludeList.All,
        []
    );
    private static readonly JsonSerializerOptions Format = new() { Converters = { new JsonStringEnumConverter() } };

    [JsonIgnore]
    public bool IsEveryone => Equals(Everyone);

    /// <summary>Does a visitor take part? Asked at every visit, so no words are made.</summary>
    public bool Admits(Traits traits, string query) => Decide(traits, query).Reason is Reason.Fits or Reason.RuleMet;

    /// <summary>The same with the reason in words.</summary>
    public Admission Judge(Traits traits, string query)
    {
        var (reason, rule) = Decide(traits, query);
        return new(
            reason is Reason.Fits or Reason.RuleMet,
            reason switch
            {
                Reason.Fits => "everything fits",
                Reason.RuleMet or Reason.RuleAgainst => $"the address has {rule!.Words()}",
                Reason.Device =>
                    $"{Name(traits.Device)} {(traits.Device == Device.Desktop ? "computers" : "")}".TrimEnd()
                        + " do not take part",
                Reason.Country => traits.Country.Length == 0
                    ? "the country is not known"
                    : $"{Names.Country(traits.Country)} does not take part",
                Reason.Visit => Visits == Visits.First
                    ? "only first visits take part"
                    : "only returning visitors take part",
                Reason.Source => traits.Source.Length == 0
                    ? "the link names no source"
                    : $"the source {traits.Source} does not take part",
                Reason.Language => traits.Language.Length == 0
                    ? "the language is not known"
                    : $"{Names.Language(traits.Language)} does not take part",
                _ => $"the address lacks {Join(Rules.Where(each => each.TakesIn).Select(each => each.Words()), "or")}",
            }
        );
    }

    /// <summary>Who takes part, as a sentence.</summary>
    public string Sentence()
    {
        if (IsEveryone)
            return "Everyone takes part.";
        var who = (Devices.Count, Visits) switch
        {
            (0, Visits.Both) => "Everyone",
            (0, Visits.First) => "Visitors on their first visit",
            (0, _) => "Visitors who come back",
            (_, var visits) => Capital(
                Join(Devices.Select(device => Name(device) + (device == Device.Desktop ? " computers" : "")), "and")
            )
                + visits switch
                {
                    Visits.First => " on their first visit",
                    Visits.Return => " of visitors who come back",
                    _ => "",
                },
        };
        var from =
            Countries.Names.Count == 0 ? "" : Listed(" from ", " from everywhere but ", Countries, Names.Country);
        var languages =
            Languages.Names.Count == 0
                ? ""
                : Listed(" who read ", " who read anything but ", Languages, Names.Language);
        var sources = Sources.Names.Count == 0 ? "" : Listed(" sent by ", " not sent by ", Sources, tag => tag);
        var ins = Rules.Where(rule => rule.TakesIn).Select(rule => rule.Words()).ToArray();
        var outs = Rules.Where(rule => !rule.TakesIn).Select(rule => rule.Words()).ToArray();
        var only = ins.Length == 0 ? "" : $", when the address has {Join(ins, "or")}";
        var left = outs.Length == 0 ? "" : $"; left out when the address has {Join(outs, "or")}";
        return $"{who}{from}{languages}{sources} {(who == "Everyone" ? "takes" : "take")} part{only}{left}.";
    }

    public string ToJson() => JsonSerializer.Serialize(this, Format);

    /// <summary>Reads what <see cref="ToJson"/> wrote; an empty text is everyone.</summary>
    public static Audience Parse(string json) =>
        json.Length == 0 ? Everyone : JsonSerializer.Deserialize<Audience>(json, Format)!;

    public bool Equals(Audience? other) =>
        other is not null
        && Devices.SequenceEqual(other.Devices)
        && Countries.Equals(other.Countries)
        && Visits == other.Visits
        && Sources.Equals(other.Sources)
        && Languages.Equals(other.Languages)
        && Rules.SequenceEqual(other.Rules);

    public override int GetHashCode() =>
        HashCode.Combine(Devices.Count, Countries, Visits, Sources, Languages, Rules.Count);

    private (Reason Reason, AddressRule? Rule) Decide(Traits traits, string query)
    {
        if (Devices.Count > 0 && !Devices.Contains(traits.Device))
            return (Reason.Device, null);
        if (!Countries.Admits(traits.Country))
            return (Reason.Country, null);
        if (Visits != Visits.Both && traits.IsReturning != (Visits == Visits.Return))
            return (Reason.Visit, null);
        if (!Sources.Admits(traits.Source))
            return (Reason.Source, null);
        if (!Languages.Admits(traits.Language))
            return (Reason.Language, null);
        AddressRule? met = null;
        var takesIn = false;
        for (var i = 0; i < Rules.Count; i++)
        {
            var rule = Rules[i];
            takesIn |= rule.TakesIn;
            if ((rule.TakesIn && met is not null) || !rule.Matches(query))
                continue;
            if (!rule.TakesIn)
                return (Reason.RuleAgainst, rule);
            met = rule;
        }
        return !takesIn ? (Reason.Fits, null)
            : met is not null ? (Reason.RuleMet, met)
            : (Reason.NoRuleMet, null);
    }

    private static string Listed(string ins, string outs, IncludeExcludeList list, Func<string, string> name) =>
        (list.IsOut ? outs : ins) + Join(list.Names.Select(name), list.IsOut ? "and" : "or");

    private static string Name(Device device) =>
        device switch
        {
            Device.Desktop => "desktop",
            Device.Tablet => "tablets",
            _ => "phones",
        };

    private static string Capital(string text) => char.ToUpperInvariant(text[0]) + text[1..];

    private static string Join(IEnumerable<string> parts, string last)
    {
        string[] all = [.. parts];
        return all.Length < 2 ? string.Concat(all) : $"{string.Join(", ", all[..^1])} {last} {all[^1]}";
    }

    private enum Reason
    {
        Fits,
        RuleMet,
        RuleAgainst,
        NoRuleMet,
        Device,
        Country,
        Visit,
        Source,
        Language,
    }
}
