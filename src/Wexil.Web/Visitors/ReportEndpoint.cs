using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.SplitTests;
using Wexil.Store;
using Wexil.Web.Visitors.Documents;

namespace Wexil.Web.Visitors;

/// <summary>
/// <c>/report/{token}</c>: how a test stands or ended, to read and to print; nothing else of the Studio.
/// </summary>
public sealed class ReportEndpoint(
    TestStore tests,
    FunnelStore funnels,
    VerdictStore verdicts,
    TallyStore tallies,
    TestReader reader,
    SettingStore settings,
    OwnerTime time
) : IVisitorsEndpoint
{
    public void Map(IEndpointRouteBuilder routes) => routes.MapGet("/report/{token}", Answer);

    private Task Answer(HttpContext http)
    {
        var token = http.Part("token");
        if (SharedDocument.Open(http, token, tests.Reports) is not { } id || tests.Find(new(id)) is not { } test)
            return SharedDocument.Closed(http);
        return SharedDocument.Write<ReportDocument>(http, (nameof(ReportDocument.View), View(test)));
    }

    private ReportView View(SplitTest test)
    {
        var reading = reader.Read(test, funnels.AllSteps());
        var verdict = test.IsOpen ? null : verdicts.ForStep(test.Step).FirstOrDefault(own => Ended(own, test));
        return new(
            reading,
            funnels.Every()[reading.Step.Funnel].Name,
            verdict,
            tallies.Money(test, settings.Currency),
            [.. ChangeLog.Summarize(tests.Changes(test.Id)).Reverse()],
            settings.Currency,
            time,
            settings.Zone.Id,
            settings.OwnerName,
            History(test, reading)
        )
        {
            Afterwards = verdict is null ? [] : [.. Afterwards(new(verdict, test))],
        };
    }

    private IEnumerable<string> Afterwards(VerdictLine line)
    {
        if (line.Expected is { } expected)
            yield return $"Expected from then on: {Format.Lift(expected)}.";
        // One that checked a keeping undone since tells nothing of this one.
        var check = tests
            .ForStep(line.Test.Step)
            .FirstOrDefault(own => own.Check?.Of == line.Test.Id && own.StartedAt >= line.Verdict.KeptAt);
        if (check is null)
            yield break;
        var reading = reader.Read(check, funnels.AllSteps());
        var when = check.IsOpen
            ? $"Checked now, with {check.Weights.Percent[1]}% of the visitors on the page that it replaced"
            : $"Checked until {time.Day(check.DecidedAt!.Value)}";
        yield return $"{when}: {reading.Says.Sentence} {(check.IsOpen ? "" : reading.Says.Why)}".TrimEnd();
    }

    private HistoryChart? History(SplitTest test, TestReading reading) =>
        HistoryChart.From(
            verdicts.ForStep(test.Step).Select(verdict => new VerdictLine(verdict, tests.Find(verdict.Test)!)),
            test.IsOpen ? reading : null
        );

    private static bool Ended(StoredVerdict verdict, SplitTest test) =>
        verdict.Test == test.Id && verdict.TakenBackAt is null;
}
