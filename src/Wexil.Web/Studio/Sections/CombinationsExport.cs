using System.Globalization;
using CsvHelper;
using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Sections;

/// <summary>
/// What the visitors of each combination of versions did, for other programs: a column a section with the letter of
/// the version, then visitors and conversions. The columns stand in docs/contracts.md.
/// </summary>
public static class CombinationsExport
{
    public static void Map(WebApplication app) =>
        app.MapGet("/f/{funnel}/{step}/sections/combinations.csv", Csv).RequireAuthorization();

    private static async Task Csv(
        HttpContext http,
        string funnel,
        string step,
        StepScreens screens,
        SectionsReader reader,
        TallyStore tallies
    )
    {
        if (screens.Find(funnel, step) is not { } screen)
        {
            http.Response.StatusCode = StatusCodes.Status404NotFound;
            return;
        }
        var sections = reader.Read(screen.Place, screen.Steps, screen.Sections).Sections;
        http.Response.ContentType = "text/csv; charset=utf-8";
        http.Response.Headers.ContentDisposition = $"attachment; filename=\"{screen.Place.Slug}-combinations.csv\"";
        var text = new StringWriter();
        using (var csv = new CsvWriter(text, CultureInfo.InvariantCulture))
        {
            foreach (var name in sections.Select(section => section.Step.Slug).Concat(["visitors", "conversions"]))
                csv.WriteField(name);
            csv.NextRecord();
            foreach (var combination in tallies.Combinations(screen.Place.Id))
                Write(csv, sections, combination);
        }
        await http.Response.WriteAsync(text.ToString(), http.RequestAborted);
    }

    private static void Write(CsvWriter csv, IReadOnlyList<TestReading> sections, CombinationTally combination)
    {
        foreach (var section in sections)
            csv.WriteField(
                combination.Versions.TryGetValue(section.Test.Id, out var version) ? section.Letter(version) : ""
            );
        csv.WriteField(combination.Arm.Visitors);
        csv.WriteField(combination.Arm.Conversions);
        csv.NextRecord();
    }
}
