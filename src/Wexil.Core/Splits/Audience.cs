using System.Text.Json;
using System.Text.Json.Serialization;

namespace Wexil.Core.Splits;

/// <summary>A list that names who is in, or who is out; empty, everybody is in.</summary>
public sealed record OnlyOrBut(IReadOnlyList<string> Names, bool IsOut)
{
    public static readonly OnlyOrBut All = new([], true);

    public bool Admits(string name) => Names.Count == 0 || Names.Contains(name, StringComparer.OrdinalIgnoreCase) != IsOut;

    public bool Equals(OnlyOrBut? other) => other is not null && Names.SequenceEqual(other.Names) && (Names.Count == 0 || IsOut == other.IsOut);

    public override int GetHashCode() => Names.Count;
}

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
/// <param name="Rules">On the address. Who meets one that leaves out is out; where some take in, one of them must be met.</param>
public sealed record Audience(IReadOnlyList<Device> Devices, OnlyOrBut Countries, Visits Visits, OnlyOrBut Sources, OnlyOrBut Languages, IReadOnlyList<AddressRule> Rules)
{
    public static readonly Audience Everyone = new([], OnlyOrBut.All, Visits.Both, OnlyOrBut.All, OnlyOrBut.All, []);
    private static readonly JsonSerializerOptions Format = new() { Converters = { new JsonStringEnumConverter() } };

    [JsonIgnore]
    public bool IsEveryone => Equals(Everyone);

    public Admission Judge(Traits traits, string query)
    {
        if (Devices.Count > 0 && !Devices.Contains(traits.Device)) return Out($"{Name(traits.Device)} {(traits.Device == Device.Desktop ? "computers" : "")}".TrimEnd() + " do not take part");
        if (!Countries.Admits(traits.Country)) return Out(traits.Country.Length == 0 ? "the country is not known" : $"{Names.Country(traits.Country)} does not take part");
        if (Visits == Visits.First && traits.IsReturning) return Out("only first visits take part");
        if (Visits == Visits.Return && !traits.IsReturning) return Out("only returning visitors take part");
        if (!Sources.Admits(traits.Source)) return Out(traits.Source.Length == 0 ? "the link names no source" : $"the source {traits.Source} does not take part");
        if (!Languages.Admits(traits.Language)) return Out(traits.Language.Length == 0 ? "the language is not known" : $"{Names.Language(traits.Language)} does not take part");
        if (Rules.Count == 0) return new(true, "everything fits");
        if (Rules.FirstOrDefault(rule => !rule.TakesIn && rule.Matches(query)) is { } against) return Out($"the address has {against.Words()}");
        var ins = Rules.Where(rule => rule.TakesIn).ToArray();
        if (ins.Length == 0) return new(true, "everything fits");
        return ins.FirstOrDefault(rule => rule.Matches(query)) is { } met ? new(true, $"the address has {met.Words()}") : Out($"the address lacks {Join(ins.Select(rule => rule.Words()), "or")}");
    }

    /// <summary>Who takes part, as a sentence.</summary>
    public string Sentence()
    {
        if (IsEveryone) return "Everyone takes part.";
        var who = (Devices.Count, Visits) switch
        {
            (0, Visits.Both) => "Everyone",
            (0, Visits.First) => "Visitors on their first visit",
            (0, _) => "Visitors who come back",
            (_, var visits) => Capital(Join(Devices.Select(device => Name(device) + (device == Device.Desktop ? " computers" : "")), "and"))
                + visits switch { Visits.First => " on their first visit", Visits.Return => " of visitors who come back", _ => "" },
        };
        var from = Countries.Names.Count == 0 ? "" : Listed(" from ", " from everywhere but ", Countries, Names.Country);
        var languages = Languages.Names.Count == 0 ? "" : Listed(" who read ", " who read anything but ", Languages, Names.Language);
        var sources = Sources.Names.Count == 0 ? "" : Listed(" sent by ", " not sent by ", Sources, tag => tag);
        var ins = Rules.Where(rule => rule.TakesIn).Select(rule => rule.Words()).ToArray();
        var outs = Rules.Where(rule => !rule.TakesIn).Select(rule => rule.Words()).ToArray();
        var only = ins.Length == 0 ? "" : $", when the address has {Join(ins, "or")}";
        var left = outs.Length == 0 ? "" : $"; left out when the address has {Join(outs, "or")}";
        return $"{who}{from}{languages}{sources} {(who == "Everyone" ? "takes" : "take")} part{only}{left}.";
    }

    public string ToJson() => JsonSerializer.Serialize(this, Format);

    /// <summary>Reads what <see cref="ToJson"/> wrote; an empty text is everyone.</summary>
    public static Audience Parse(string json) => json.Length == 0 ? Everyone : JsonSerializer.Deserialize<Audience>(json, Format)!;

    public bool Equals(Audience? other) => other is not null && Devices.SequenceEqual(other.Devices) && Countries.Equals(other.Countries) && Visits == other.Visits
        && Sources.Equals(other.Sources) && Languages.Equals(other.Languages) && Rules.SequenceEqual(other.Rules);

    public override int GetHashCode() => HashCode.Combine(Devices.Count, Countries, Visits, Sources, Languages, Rules.Count);

    private static Admission Out(string why) => new(false, why);

    private static string Listed(string ins, string outs, OnlyOrBut list, Func<string, string> name) =>
        (list.IsOut ? outs : ins) + Join(list.Names.Select(name), list.IsOut ? "and" : "or");

    private static string Name(Device device) => device switch { Device.Desktop => "desktop", Device.Tablet => "tablets", _ => "phones" };

    private static string Capital(string text) => char.ToUpperInvariant(text[0]) + text[1..];

    private static string Join(IEnumerable<string> parts, string last)
    {
        string[] all = [.. parts];
        return all.Length < 2 ? string.Concat(all) : $"{string.Join(", ", all[..^1])} {last} {all[^1]}";
    }
}
