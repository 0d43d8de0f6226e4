using System.Globalization;
using System.Text.Json;
using CsvHelper;
using Wexil.App.Results;
using Wexil.Core.Results;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Count;

/// <summary>A test's figures and events for other programs. The columns stand in docs/contracts.md.</summary>
public static class Exports
{
    private const int Chunk = 2000;

    private static readonly string[] ColumnNames =
    [
        "phase",
        "phase_started",
        "letter",
        "page",
        "weight",
        "goal",
        "visitors",
        "conversions",
        "times",
        "value",
        "orders",
        "earned",
        "currency",
        "rate",
        "rate_in_total",
        "rate_with_equal_phases",
    ];

    public static void Map(WebApplication app)
    {
        app.MapGet("/f/{funnel}/{step}/count/results.csv", Csv).RequireAuthorization();
        app.MapGet("/f/{funnel}/{step}/count/results.json", Json).RequireAuthorization();
        app.MapGet("/f/{funnel}/{step}/count/events.ndjson", Events).RequireAuthorization();
    }

    private static async Task Csv(
        HttpContext http,
        string funnel,
        string step,
        StepScreens screens,
        TallyStore tallies,
        SettingStore settings
    )
    {
        if (Lines(http, funnel, step, screens, tallies, settings) is not var (reading, lines))
            return;
        http.Response.ContentType = "text/csv; charset=utf-8";
        Attach(http, $"{step}-{reading.Test.Id.Value}.csv");
        var text = new StringWriter();
        using (var csv = new CsvWriter(text, CultureInfo.InvariantCulture))
        {
            foreach (var name in ColumnNames)
                csv.WriteField(name);
            csv.NextRecord();
            foreach (var line in lines)
                Write(csv, line);
        }
        await http.Response.WriteAsync(text.ToString(), http.RequestAborted);
    }

    private static void Write(CsvWriter csv, ExportLine line)
    {
        csv.WriteField(line.Phase);
        csv.WriteField(line.PhaseStarted.ToString("O", CultureInfo.InvariantCulture));
        csv.WriteField(line.Letter);
        csv.WriteField(SpreadsheetText.Harmless(line.Page));
        csv.WriteField(line.Weight);
        csv.WriteField(SpreadsheetText.Harmless(line.Goal));
        csv.WriteField(line.Visitors);
        csv.WriteField(line.Conversions);
        csv.WriteField(line.Times);
        csv.WriteField(line.Value);
        csv.WriteField(line.Orders);
        csv.WriteField(line.Earned);
        csv.WriteField(line.Currency);
        csv.WriteField(line.Rate);
        csv.WriteField(line.RateInTotal);
        csv.WriteField(line.RateWithEqualPhases);
        csv.NextRecord();
    }

    private static async Task Json(
        HttpContext http,
        string funnel,
        string step,
        StepScreens screens,
        TallyStore tallies,
        SettingStore settings
    )
    {
        if (Lines(http, funnel, step, screens, tallies, settings) is not var (reading, lines))
            return;
        Attach(http, $"{step}-{reading.Test.Id.Value}.json");
        await http.Response.WriteAsJsonAsync(
            new
            {
                test = reading.Test.Name,
                idea = reading.Test.Idea,
                started = reading.Test.StartedAt,
                decided = reading.Test.DecidedAt,
                verdict = reading.Says.Sentence,
                plan = Plan(reading),
                judgedBy = OnMoney(reading) ? "revenue" : "goal",
                pages = reading.Result.Pages.Select((page, i) => Page(page, OwnMeasure(reading, i))),
                rows = lines,
            }
        );
    }

    /// <summary>What the test was planned for; null for a test that began before tests had a plan.</summary>
    private static object? Plan(TestReading reading) =>
        reading.Result.Facts is { Plan: not null } facts
            ? new
            {
                rate = facts.BaseRate,
                lift = facts.SmallestLift,
                visitors = reading.PlannedVisitors,
                alpha = facts.Alpha,
            }
            : null;

    private static bool OnMoney(TestReading reading) => reading.Test.Rule.OnMoney && reading.Money is not null;

    /// <summary>By what the verdict goes by.</summary>
    private static Comparison? OwnMeasure(TestReading reading, int page) =>
        OnMoney(reading) ? reading.Money!.Pages[page].AgainstControl : reading.Result.Pages[page].AgainstControl;

    /// <summary>A page over all phases, as the Count screen shows it.</summary>
    private static object Page(PageResult page, Comparison? own) =>
        new
        {
            letter = page.Page.Letter,
            page = page.Page.Name,
            visitors = page.Total.Visitors,
            conversions = page.Total.Conversions,
            rate = page.Rate is null ? (double?)null : page.Standard.Rate,
            rateInTotal = page.Rate is null ? (double?)null : page.Total.Rate,
            rateLow = page.Rate?.Low,
            rateHigh = page.Rate?.High,
            difference = page.AgainstControl?.Difference,
            differenceLow = page.AgainstControl?.Interval?.Low,
            differenceHigh = page.AgainstControl?.Interval?.High,
            differenceExpected = page.AgainstControl?.Expected,
            confidence = own?.Confidence,
            planProgress = own?.Progress,
        };

    private static async Task Events(
        HttpContext http,
        string funnel,
        string step,
        StepScreens screens,
        EventStore events
    )
    {
        if (Find(http, funnel, step, screens) is not { } reading)
            return;
        http.Response.ContentType = "application/x-ndjson; charset=utf-8";
        Attach(http, $"{step}-{reading.Test.Id.Value}.ndjson");
        long after = 0;
        while (events.After(after, reading.Test, Chunk) is { Rows: var rows, Last: { } last })
        {
            after = last;
            foreach (var row in rows)
            {
                await JsonSerializer.SerializeAsync(
                    http.Response.Body,
                    row,
                    JsonSerializerOptions.Web,
                    http.RequestAborted
                );
                await http.Response.Body.WriteAsync("\n"u8.ToArray(), http.RequestAborted);
            }
        }
    }

    private static (TestReading, ExportLine[])? Lines(
        HttpContext http,
        string funnel,
        string step,
        StepScreens screens,
        TallyStore tallies,
        SettingStore settings
    )
    {
        if (Find(http, funnel, step, screens) is not { } reading)
            return null;
        return (reading, new ExportLines(reading, tallies, settings.Currency).All());
    }

    private static TestReading? Find(HttpContext http, string funnel, string step, StepScreens screens)
    {
        if (screens.Find(funnel, step)?.Reading is { } reading)
            return reading;
        http.Response.StatusCode = StatusCodes.Status404NotFound;
        return null;
    }

    private static void Attach(HttpContext http, string name) =>
        http.Response.Headers.ContentDisposition = $"attachment; filename=\"{name}\"";
}
