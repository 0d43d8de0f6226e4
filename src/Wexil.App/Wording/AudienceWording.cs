using Wexil.Core.Targeting;
using Wexil.Core.Visitors;

namespace Wexil.App.Wording;

/// <summary>Puts into words who takes part in a test.</summary>
public static class AudienceWording
{
    /// <summary>Who takes part, as a sentence.</summary>
    public static string Say(Audience audience)
    {
        if (audience.IsEveryone)
            return "Everyone takes part.";
        var who = Who(audience);
        var from = Listed(" from ", " from everywhere except ", audience.Countries, Names.Country);
        var languages = Listed(" reading in ", " reading in any language except ", audience.Languages, Names.Language);
        var sources = Listed(" sent by ", " not sent by ", audience.Sources, tag => tag);
        var (ins, outs) = (Rules(audience, takesIn: true), Rules(audience, takesIn: false));
        var only = ins.Length == 0 ? "" : $", when the address has {Join(ins, "or")}";
        var left = outs.Length == 0 ? "" : $"; excluded when the address has {Join(outs, "or")}";
        return $"{who}{from}{languages}{sources} {(who == "Everyone" ? "takes" : "take")} part{only}{left}.";
    }

    /// <summary>Why a visitor takes part or does not, to go on after a colon.</summary>
    public static string Why(Admission admission, Audience audience, Traits traits) =>
        admission.Reason switch
        {
            AdmissionReason.Fits => "all conditions are met",
            AdmissionReason.RuleMet or AdmissionReason.RuleAgainst => $"the address has {Rule(admission.Rule!)}",
            AdmissionReason.Device => $"{Device(traits.Device)} do not take part",
            AdmissionReason.Country when traits.Country.Length == 0 => "the country is not known",
            AdmissionReason.Country => $"{Names.Country(traits.Country)} does not take part",
            AdmissionReason.Visit when audience.Visits == VisitKind.First => "only first visits take part",
            AdmissionReason.Visit => "only returning visitors take part",
            AdmissionReason.Source when traits.Source.Length == 0 => "the link has no source",
            AdmissionReason.Source => $"the source {traits.Source} does not take part",
            AdmissionReason.Language when traits.Language.Length == 0 => "the language is not known",
            AdmissionReason.Language => $"{Names.Language(traits.Language)} does not take part",
            _ => $"the address does not have {Join(Rules(audience, takesIn: true), "or")}",
        };

    private static string Who(Audience audience)
    {
        if (audience.Devices.Count == 0)
            return audience.Visits switch
            {
                VisitKind.Both => "Everyone",
                VisitKind.First => "Visitors on their first visit",
                _ => "Returning visitors",
            };
        var devices = Join(audience.Devices.Select(Device), "and");
        var visits = audience.Visits switch
        {
            VisitKind.First => " on their first visit",
            VisitKind.Return => " of returning visitors",
            _ => "",
        };
        return Format.Capital(devices) + visits;
    }

    /// <summary>"utm_campaign containing “spring”".</summary>
    private static string Rule(AddressRule rule) =>
        rule.Kind switch
        {
            RuleKind.Present => rule.Parameter,
            RuleKind.EqualTo => $"{rule.Parameter}={rule.Value}",
            RuleKind.Contains => $"{rule.Parameter} containing “{rule.Value}”",
            _ => $"{rule.Parameter} matching {rule.Value}",
        };

    private static string[] Rules(Audience audience, bool takesIn) =>
        [.. audience.Rules.Where(rule => rule.TakesIn == takesIn).Select(Rule)];

    private static string Listed(string ins, string outs, IncludeExcludeList list, Func<string, string> name) =>
        list.Names.Count == 0
            ? ""
            : (list.IsOut ? outs : ins) + Join(list.Names.Select(name), list.IsOut ? "and" : "or");

    private static string Device(Device device) =>
        device switch
        {
            Core.Visitors.Device.Desktop => "desktop computers",
            Core.Visitors.Device.Tablet => "tablets",
            _ => "phones",
        };

    private static string Join(IEnumerable<string> parts, string last)
    {
        string[] all = [.. parts];
        return all.Length < 2 ? string.Concat(all) : $"{string.Join(", ", all[..^1])} {last} {all[^1]}";
    }
}
