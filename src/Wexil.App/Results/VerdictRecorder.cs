using System.Text.Json;
using Wexil.Core.Common;
using Wexil.Core.Statistics;
using Wexil.Store;

namespace Wexil.App.Results;

/// <summary>The evidence of a verdict as it stood, page by page; the control is the first.</summary>
public sealed record Evidence(string Kind, string Sentence, IReadOnlyList<EvidencePage> Pages)
{
    /// <summary>What a conversion was called; empty in verdicts of an earlier time.</summary>
    public string Many { get; init; } = "";

    /// <summary>Of the money; empty where nobody bought, and in verdicts of an earlier time.</summary>
    public string Currency { get; init; } = "";

    /// <summary>Visitors who had ever reached the step; null in verdicts of an earlier time.</summary>
    public long? Reached { get; init; }

    /// <param name="reached">Visitors who ever reached the step.</param>
    public static Evidence From(TestReading reading, Currency currency, long reached) =>
        new(
            reading.Verdict.Kind.ToString(),
            reading.Says.Sentence,
            [
                .. reading.Result.Pages.Select(
                    (page, i) =>
                        new EvidencePage(
                            page.Page.Letter,
                            page.Page.Name,
                            page.Total.Visitors,
                            page.Total.Conversions,
                            page.Standard.Rate,
                            page.AgainstControl?.Difference,
                            page.AgainstControl?.P,
                            page.ChanceBest
                        )
                        {
                            Range = Ends(page.AgainstControl?.Interval),
                            Expected = page.AgainstControl?.Expected,
                            Brought = reading.Money?.Pages[i].Total.Mean,
                            More = reading.Money?.Pages[i].AgainstControl?.Difference,
                            MoreExpected = reading.Money?.Pages[i].AgainstControl?.Expected,
                            MoreRange = Ends(reading.Money?.Pages[i].AgainstControl?.Interval),
                        }
                ),
            ]
        )
        {
            Many = reading.Words.Many,
            Reached = reached,
            Currency = reading.Money is null ? "" : currency.Code,
        };

    /// <summary>Reads what was stored.</summary>
    public static Evidence Parse(string json) => JsonSerializer.Deserialize<Evidence>(json)!;

    private static double[]? Ends(Interval? interval) => interval is { } known ? [known.Low, known.High] : null;
}

/// <param name="Difference">Of the rates, against the control.</param>
public sealed record EvidencePage(
    string Letter,
    string Name,
    long Visitors,
    long Conversions,
    double Rate,
    double? Difference,
    double? P,
    double ChanceBest
)
{
    /// <summary>The ends of the always-valid interval of the difference.</summary>
    public double[]? Range { get; init; }

    /// <summary>
    /// What of the difference was to be expected from then on; null where the page was not called better by a plan.
    /// </summary>
    public double? Expected { get; init; }

    /// <summary>What a visitor brought, in the currency's smallest unit, as are those below.</summary>
    public double? Brought { get; init; }

    /// <summary>What a visitor brought more than one of the control; null where nobody bought.</summary>
    public double? More { get; init; }

    /// <summary>What of that was to be expected from then on; null as above.</summary>
    public double? MoreExpected { get; init; }

    /// <summary>The ends of the interval of that; null where there is none.</summary>
    public double[]? MoreRange { get; init; }
}

/// <summary>Ends a test with its evidence frozen.</summary>
public sealed class VerdictRecorder(VerdictStore verdicts, TallyStore tallies, SettingStore settings)
{
    /// <summary>Keeps a page and ends the test; false where it was decided before.</summary>
    public async Task<bool> KeepAsync(TestReading reading, PageId page, string keptBy) =>
        await KeepAsync([(reading, page)], keptBy) > 0;

    /// <summary>Keeps pages and ends their tests at the same moment.</summary>
    /// <returns>How many ended; the others were decided before.</returns>
    public Task<int> KeepAsync(IReadOnlyList<(TestReading Reading, PageId Page)> kept, string keptBy) =>
        verdicts.KeepAsync([.. kept.Select(one => Kept(one.Reading, one.Page))], keptBy);

    private KeptPage Kept(TestReading reading, PageId page) =>
        new(
            reading.Test.Id,
            page,
            reading.Says.Sentence,
            JsonSerializer.Serialize(
                Evidence.From(reading, settings.Currency, tallies.StepVisitors().GetValueOrDefault(reading.Step.Id))
            )
        );
}
