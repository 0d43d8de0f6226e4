using System.Collections.Frozen;
using Wexil.Core.Common;

namespace Wexil.Core.Visitors;

/// <summary>
/// English names of countries (by ISO 3166-1 code) and languages (by ISO 639-1 code), in order of the names.
/// </summary>
public static class Names
{
    /// <summary>English names by ISO 3166-1 code, in order of the names.</summary>
    public static IReadOnlyList<(string Code, string Name)> Countries { get; } = Read("countries.tsv");

    /// <summary>English names by ISO 639-1 code, in order of the names.</summary>
    public static IReadOnlyList<(string Code, string Name)> Languages { get; } = Read("languages.tsv");

    private static readonly FrozenDictionary<string, string> CountryNames = Countries.ToFrozenDictionary(
        row => row.Code,
        row => row.Name,
        StringComparer.OrdinalIgnoreCase
    );
    private static readonly FrozenDictionary<string, string> LanguageNames = Languages.ToFrozenDictionary(
        row => row.Code,
        row => row.Name,
        StringComparer.OrdinalIgnoreCase
    );

    /// <summary>Is this a code of a country, capitals or not?</summary>
    public static bool IsCountry(string code) => CountryNames.ContainsKey(code);

    /// <summary>Is this a code of a language, capitals or not?</summary>
    public static bool IsLanguage(string code) => LanguageNames.ContainsKey(code);

    /// <summary>The country's name, or the code itself where it is none.</summary>
    public static string Country(string code) => CountryNames.GetValueOrDefault(code, code);

    /// <summary>The English name of a language; the code itself where it is not known.</summary>
    public static string Language(string code) => LanguageNames.GetValueOrDefault(code, code);

    private static (string, string)[] Read(string file) =>
        [
            .. EmbeddedText
                .Read(typeof(Names).Assembly, $"Visitors.Names.{file}")
                .Split('\n', StringSplitOptions.RemoveEmptyEntries)
                .Select(line => line.Split('\t'))
                .Select(row => (row[0], row[1])),
        ];
}
