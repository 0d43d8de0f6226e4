using Microsoft.AspNetCore.Mvc.ModelBinding;
using Wexil.Core.Targeting;
using Wexil.Core.Visitors;

namespace Wexil.Web.Studio.Send;

/// <summary>Who takes part, as it stands in a form.</summary>
public sealed class AudienceForm
{
    /// <summary>Rules that can be written at once; more come with the next save.</summary>
    private const int EmptyRules = 2,
        MaxRules = 20;

    /// <summary>A rule about the address, as it was typed.</summary>
    public sealed class Rule
    {
        public bool TakesIn { get; set; }
        public string? Parameter { get; set; }
        public RuleKind Kind { get; set; }
        public string? Value { get; set; }
    }

    public List<Device> Devices { get; set; } = [];
    public bool CountriesOut { get; set; }
    public string? Countries { get; set; }
    public VisitKind Visits { get; set; }
    public bool SourcesOut { get; set; }
    public string? Sources { get; set; }
    public bool LanguagesOut { get; set; }
    public string? Languages { get; set; }
    public List<Rule> Rules { get; set; } = [];

    public static AudienceForm From(Audience audience)
    {
        var form = new AudienceForm
        {
            Devices = [.. audience.Devices],
            CountriesOut = audience.Countries.IsOut && audience.Countries.Names.Count > 0,
            Countries = string.Join(", ", audience.Countries.Names.Select(Names.Country)),
            Visits = audience.Visits,
            SourcesOut = audience.Sources.IsOut && audience.Sources.Names.Count > 0,
            Sources = string.Join(", ", audience.Sources.Names),
            LanguagesOut = audience.Languages.IsOut && audience.Languages.Names.Count > 0,
            Languages = string.Join(", ", audience.Languages.Names.Select(Names.Language)),
            Rules =
            [
                .. audience.Rules.Select(rule => new Rule
                {
                    TakesIn = rule.TakesIn,
                    Parameter = rule.Parameter,
                    Kind = rule.Kind,
                    Value = rule.Value,
                }),
            ],
        };
        return form.WithRoom();
    }

    /// <summary>Room for rules to come.</summary>
    public AudienceForm WithRoom()
    {
        while (Rules.Count < MaxRules && Rules.Count(rule => string.IsNullOrWhiteSpace(rule.Parameter)) < EmptyRules)
            Rules.Add(new());
        return this;
    }

    /// <summary>The audience meant; what is wrong is told by the field it concerns.</summary>
    public Audience Read(ModelStateDictionary problems, string prefix)
    {
        void Wrong(string field, string problem) => problems.AddModelError($"{prefix}.{field}", problem);
        string? Country(string name) => Code(name, Names.Countries, upper: true);
        string? Tag(string name) => SourceTag.From(name) is { Length: > 0 } tag ? tag : null;
        string? Language(string name) => Code(name, Names.Languages, upper: false);
        IncludeExcludeList List(string? written, bool isOut, Func<string, string?> read, string what, string field)
        {
            var (list, unknown) = Parse(written, isOut, read);
            foreach (var name in unknown)
                Wrong(field, $"“{name}” is not a {what} that Wexil knows.");
            return list;
        }
        var rules = ReadRules(Wrong);
        var devices = Devices.Distinct().Order().ToArray();
        return new(
            devices.Length == 3 ? [] : devices,
            List(Countries, CountriesOut, Country, "country", nameof(Countries)),
            Visits,
            List(Sources, SourcesOut, Tag, "source", nameof(Sources)),
            List(Languages, LanguagesOut, Language, "language", nameof(Languages)),
            rules
        );
    }

    private List<AddressRule> ReadRules(Action<string, string> wrong)
    {
        var rules = new List<AddressRule>();
        for (var i = 0; i < Math.Min(Rules.Count, MaxRules); i++)
        {
            var rule = Rules[i];
            if (string.IsNullOrWhiteSpace(rule.Parameter) && string.IsNullOrWhiteSpace(rule.Value))
                continue;
            var read = new AddressRule(
                rule.TakesIn,
                rule.Parameter?.Trim() ?? "",
                rule.Kind,
                rule.Kind == RuleKind.Present ? "" : rule.Value?.Trim() ?? ""
            );
            if (read.Problem() is { } problem)
                wrong($"Rules[{i}].Parameter", problem);
            else
                rules.Add(read);
        }
        return rules;
    }

    private static (IncludeExcludeList List, IReadOnlyList<string> Unknown) Parse(
        string? written,
        bool isOut,
        Func<string, string?> read
    )
    {
        var names = (written ?? "")
            .Split([',', ';'], StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)
            .Select(name => (Name: name, Code: read(name)))
            .ToArray();
        string[] codes = [.. names.Where(name => name.Code is not null).Select(name => name.Code!).Distinct()];
        return (
            codes.Length == 0 ? IncludeExcludeList.All : new(codes, isOut),
            [.. names.Where(name => name.Code is null).Select(name => name.Name)]
        );
    }

    private static string? Code(string name, IReadOnlyList<(string Code, string Name)> known, bool upper)
    {
        var code = known
            .FirstOrDefault(row =>
                row.Name.Equals(name, StringComparison.OrdinalIgnoreCase)
                || row.Code.Equals(name, StringComparison.OrdinalIgnoreCase)
            )
            .Code;
        return upper ? code?.ToUpperInvariant() : code;
    }
}
