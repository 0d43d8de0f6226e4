using System.Globalization;
using System.Text.Json;
using CsvHelper;
using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.Results;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Count;

/// <summary>A test's figures and events for other programs. The columns stand in docs/contracts.md.</summary>
public static class Exports
{
    private const int Chunk = 2000;

    private sealed record Line(
        int Phase,
        DateTimeOffset PhaseStarted,
        string Letter,
        string Page,
        int Weight,
        string Goal,
        long Visitors,
        long Conversions,
        long Times,
        string Value,
        long Orders,
        string Earned,
        string Currency
    );

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
            foreach (
                var name in (string[])
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
                    ]
            )
                csv.WriteField(name);
            csv.NextRecord();
            foreach (var line in lines)
            {
                csv.WriteField(line.Phase);
                csv.WriteField(line.PhaseStarted.ToString("O", CultureInfo.InvariantCulture));
                foreach (var field in (string[])[line.Letter, SpreadsheetText.Harmless(line.Page)])
                    csv.WriteField(field);
                csv.WriteField(line.Weight);
                csv.WriteField(SpreadsheetText.Harmless(line.Goal));
                foreach (var number in (long[])[line.Visitors, line.Conversions, line.Times])
                    csv.WriteField(number);
                csv.WriteField(line.Value);
                csv.WriteField(line.Orders);
                csv.WriteField(line.Earned);
                csv.WriteField(line.Currency);
                csv.NextRecord();
            }
        }
        await http.Response.WriteAsync(text.ToString(), http.RequestAborted);
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
                pages = reading.Result.Pages.Select(Page),
                rows = lines,
            }
        );
    }

    /// <summary>A page over all phases, as the Count screen shows it.</summary>
    private static object Page(PageResult page) =>
        new
        {
            letter = page.Page.Letter,
            page = page.Page.Name,
            visitors = page.Total.Visitors,
            conversions = page.Total.Conversions,
            rate = page.Rate is null ? (double?)null : page.Standard.Rate,
            rateLow = page.Rate?.Low,
            rateHigh = page.Rate?.High,
            difference = page.AgainstControl?.Difference,
            differenceLow = page.AgainstControl?.Interval?.Low,
            differenceHigh = page.AgainstControl?.Interval?.High,
            confidence = page.AgainstControl?.Confidence,
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

    private static (TestReading, Line[])? Lines(
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
        var currency = settings.Currency;
        var goals = tallies.Goals(reading.Test.Id).ToDictionary(tally => (tally.Goal, tally.Phase, tally.Page));
        var money = tallies.MoneyByPhase(reading.Test.Id, currency);
        var counted = tallies.Phases(reading.Test, reading.Phases);
        var lines = reading
            .Phases.SelectMany(
                (phase, i) =>
                    reading.Test.Pages.SelectMany(
                        (page, j) =>
                        {
                            var facts = counted[i];
                            var brought = money.GetValueOrDefault((phase.Id, page));
                            var own = reading.Main is { } chosen
                                ? goals.GetValueOrDefault((chosen.Id, phase.Id, page))
                                : null;
                            var main = new Line(
                                i + 1,
                                phase.StartedAt,
                                PageLetter.At(j),
                                reading.Pages[j].Name,
                                facts.Weights[j],
                                reading.GoalName,
                                facts.Arms[j].Visitors,
                                facts.Arms[j].Conversions,
                                own?.Times ?? facts.Arms[j].Conversions,
                                currency.Write(own?.Value ?? 0),
                                brought.Orders,
                                currency.Write(brought.Earned),
                                currency.Code
                            );
                            return reading
                                .Goals.Where(goal => goal.CountsIn(phase))
                                .Select(goal =>
                                {
                                    var met = goals.GetValueOrDefault((goal.Id, phase.Id, page));
                                    return main with
                                    {
                                        Goal = goal.Goal.Name,
                                        Conversions = met?.Visitors ?? 0,
                                        Times = met?.Times ?? 0,
                                        Value = currency.Write(met?.Value ?? 0),
                                        Orders = 0,
                                        Earned = currency.Write(0),
                                    };
                                })
                                .Where(line => line.Goal != main.Goal || reading.Main is null)
                                .Prepend(main);
                        }
                    )
            )
            .ToArray();
        return (reading, lines);
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
