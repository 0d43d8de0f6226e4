using System.Text.Json;
using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
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
    /// <summary>The ends of the difference's interval, as the test's rule gave it.</summary>
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
public sealed class VerdictRecorder(VerdictStore verdicts, TallyStore tallies, SettingStore settings, TimeProvider time)
{
    /// <summary>Keeps a page and ends the test; false where it was decided before.</summary>
    /// <param name="check">How the page is checked from then on; null for not at all. The control replaces nothing, so
    /// there is nothing to check of it.</param>
    public async Task<bool> KeepAsync(TestReading reading, PageId page, string keptBy, CheckPlan? check = null)
    {
        var kept = Kept(reading, page);
        if (check is not null && page != reading.Result.Control.Page.Id)
            kept = kept with { Check = CheckOf(reading, page, check) };
        return await verdicts.KeepAsync([kept], keptBy) > 0;
    }

    /// <summary>Keeps pages and ends their tests at the same moment.</summary>
    /// <returns>How many ended; the others were decided before.</returns>
    public Task<int> KeepAsync(IReadOnlyList<(TestReading Reading, PageId Page)> kept, string keptBy) =>
        verdicts.KeepAsync([.. kept.Select(one => Kept(one.Reading, one.Page))], keptBy);

    /// <summary>
    /// Takes the newest verdict on a test back, together with its check, whose control is kept, and the section that
    /// was written into pages.
    /// </summary>
    /// <param name="check">The test's check, where that goes on.</param>
    /// <returns>The pages that were changed since they were read, and stay as they are; null where there was nothing to
    /// take back.</returns>
    public Task<IReadOnlyList<Page>?> TakeBackAsync(
        TestId test,
        TestReading? check,
        IReadOnlyList<Republished> pages
    ) => verdicts.TakeBackAsync(test, check is null ? null : Kept(check, check.Result.Control.Page.Id), pages);

    private TestPlan CheckOf(TestReading reading, PageId page, CheckPlan check)
    {
        var (test, kept) = (reading.Test, reading.Result.Pages.Single(shown => shown.Page.Id == page));
        var rate = kept.Standard.Rate is > 0 and < 1 ? kept.Standard.Rate : test.ExpectedRate;
        return new(
            test.Step,
            test.Goal,
            $"Check of {kept.Page.Name}",
            $"What “{kept.Page.Name}” brings more than “{reading.Result.Control.Page.Name}”, which it replaced.",
            rate,
            check.LiftFound(rate, reading.Result.Facts.VisitorsPerDay) ?? test.SmallestLift,
            [page, reading.Result.Control.Page.Id],
            check.Weights,
            TestSettings.Default with
            {
                Audience = test.Settings.Audience,
                RestsFailing = test.Settings.RestsFailing,
                Until = time.GetUtcNow() + check.Lasts,
            },
            Main: reading.Main?.Goal,
            OnMoney: test.Rule.OnMoney,
            Check: new(test.Id, check.TakesBack)
        );
    }

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
