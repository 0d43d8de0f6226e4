using System.CommandLine;
using System.Globalization;
using System.Text.Encodings.Web;
using System.Text.Json;
using CsvHelper;
using CsvHelper.Configuration;
using Wexil.Core.Statistics;

namespace Wexil.Web.Commands;

/// <summary><c>wexil evidence FILE.csv --method NAME [--json]</c>: the methods for numbers from anywhere.</summary>
public static class EvidenceCommand
{
    private const int BadRows = 3,
        BadFile = 2;
    private static readonly JsonWriterOptions Indented = new()
    {
        Indented = true,
        Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
    };

    public static Command Create()
    {
        var file = new Argument<string>("FILE")
        {
            Description = "A CSV file with the columns that the method is given.",
        };
        var method = new Option<string>("--method")
        {
            Description = $"One of {string.Join(", ", EvidenceMethod.All.Select(known => known.Name))}.",
            Required = true,
        };
        var json = new Option<bool>("--json") { Description = "JSON instead of CSV." };
        var evidence = new Command("evidence", "Computes a method for numbers from elsewhere.") { file, method, json };
        evidence.SetAction(result =>
        {
            try
            {
                using var reader = new StreamReader(result.GetValue(file)!);
                using var output = Console.OpenStandardOutput();
                return Run(reader, result.GetValue(method)!, result.GetValue(json), output, Console.Error);
            }
            catch (Exception error) when (error is IOException or UnauthorizedAccessException)
            {
                Console.Error.WriteLine($"wexil: {error.Message}");
                return BadFile;
            }
        });
        return evidence;
    }

    /// <returns>0; 2 when the file or the method cannot be used; 3 when some rows could not, which are named on
    /// <paramref name="problems"/>.</returns>
    public static int Run(TextReader file, string name, bool asJson, Stream output, TextWriter problems)
    {
        if (EvidenceMethod.Find(name) is not { } method)
            return Fail(
                problems,
                $"there is no method {name}. There are "
                    + $"{string.Join(", ", EvidenceMethod.All.Select(known => known.Name))}."
            );
        using var csv = new CsvReader(
            file,
            new CsvConfiguration(CultureInfo.InvariantCulture)
            {
                TrimOptions = TrimOptions.Trim,
                BadDataFound = null,
                MissingFieldFound = null,
            }
        );
        if (!csv.Read() || !csv.ReadHeader())
            return Fail(problems, "the file is empty.");
        var missing = method.Given.Except(csv.HeaderRecord!).ToArray();
        if (missing.Length > 0)
            return Fail(
                problems,
                $"the column {string.Join(" and ", missing)} is missing. {name} needs "
                    + $"{string.Join(", ", method.Given)}."
            );
        var (rows, bad) = Compute(csv, method, problems);
        if (asJson)
            WriteJson(rows, output);
        else
            WriteCsv(method, rows, output);
        return bad > 0 ? BadRows : 0;
    }

    private static (List<(Dictionary<string, string> Given, IReadOnlyList<Figure> Figures)> Rows, int Bad) Compute(
        CsvReader csv,
        EvidenceMethod method,
        TextWriter problems
    )
    {
        var (rows, bad) = (new List<(Dictionary<string, string>, IReadOnlyList<Figure>)>(), 0);
        while (csv.Read())
        {
            var given = method.Given.ToDictionary(column => column, column => csv.GetField(column) ?? "");
            try
            {
                rows.Add((given, method.Compute(given)));
            }
            catch (FormatException problem)
            {
                problems.WriteLine($"line {csv.Parser.RawRow}: {problem.Message}.");
                bad++;
            }
        }
        return (rows, bad);
    }

    private static int Fail(TextWriter problems, string problem)
    {
        problems.WriteLine($"wexil: {problem}");
        return BadFile;
    }

    private static void WriteCsv(
        EvidenceMethod method,
        List<(Dictionary<string, string> Given, IReadOnlyList<Figure> Figures)> rows,
        Stream output
    )
    {
        using var writer = new StreamWriter(output, leaveOpen: true) { NewLine = "\n" };
        using var csv = new CsvWriter(writer, new CsvConfiguration(CultureInfo.InvariantCulture) { NewLine = "\n" });
        foreach (var column in method.Given)
            csv.WriteField(column);
        foreach (var figure in rows.Count > 0 ? rows[0].Figures : [])
            csv.WriteField(figure.Name);
        csv.NextRecord();
        foreach (var (given, figures) in rows)
        {
            foreach (var column in method.Given)
                csv.WriteField(given[column]);
            foreach (var figure in figures)
                csv.WriteField(string.Join(';', figure.Values.Select(Written)));
            csv.NextRecord();
        }
    }

    private static string Written(object value) =>
        value is double number
            ? double.IsNaN(number)
                ? "NA"
                : number.ToString("R", CultureInfo.InvariantCulture)
            : value.ToString()!;

    private static void WriteJson(
        List<(Dictionary<string, string> Given, IReadOnlyList<Figure> Figures)> rows,
        Stream output
    )
    {
        using var json = new Utf8JsonWriter(output, Indented);
        json.WriteStartArray();
        foreach (var (given, figures) in rows)
        {
            json.WriteStartObject();
            foreach (var (column, cell) in given)
            {
                json.WritePropertyName(column);
                if (
                    double.TryParse(cell, NumberStyles.Float, CultureInfo.InvariantCulture, out var number)
                    && double.IsFinite(number)
                )
                    json.WriteRawValue(JsonSerializer.Serialize(number));
                else
                    json.WriteStringValue(cell);
            }
            foreach (var figure in figures)
            {
                json.WritePropertyName(figure.Name);
                if (figure.IsList)
                    json.WriteStartArray();
                foreach (var value in figure.Values)
                    Write(json, value);
                if (figure.IsList)
                    json.WriteEndArray();
            }
            json.WriteEndObject();
        }
        json.WriteEndArray();
    }

    private static void Write(Utf8JsonWriter json, object value)
    {
        if (value is double number && double.IsFinite(number))
            json.WriteNumberValue(number);
        else if (value is double)
            json.WriteNullValue();
        else
            json.WriteStringValue(value.ToString());
    }
}
