using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Results;
using Wexil.Core.Statistics;
using Wexil.Store;

namespace Wexil.App.Results;

/// <summary>What a kept page has brought more than the one it replaced.</summary>
/// <param name="Visitors">Who were shown it since.</param>
/// <param name="Currency">Null where the gain is in conversions.</param>
/// <param name="Many">What a conversion is called.</param>
public sealed record GainLine(
    StoredVerdict Verdict,
    RealisedUplift Gain,
    long Visitors,
    Currency? Currency,
    string Many
)
{
    /// <summary>"$2,140", or "310 opt-ins".</summary>
    public string Amount => Words(Gain.Amount);

    /// <summary>"$310 to $3,970".</summary>
    public string Range =>
        Currency is null
            ? $"{Number(Gain.Range.Low)} to {Words(Gain.Range.High)}"
            : $"{Words(Gain.Range.Low)} to {Words(Gain.Range.High)}";

    private string Words(double amount) =>
        Currency is { } currency ? currency.About(amount) : $"{Number(amount)} {Many}";

    private static string Number(double amount) => (amount < -0.5 ? "−" : "") + Format.Count(Math.Abs(amount));
}

/// <summary>
/// Works out what kept pages have brought more, from the evidence frozen with their verdicts and the visitors since.
/// </summary>
public sealed class KeptGains(VerdictStore verdicts, TestStore tests, TallyStore tallies, SettingStore settings)
{
    /// <summary>
    /// One for each verdict that stands and put another page in the control's place, where the evidence says how much
    /// that is; the newest first.
    /// </summary>
    public IReadOnlyList<GainLine> All() => For(verdicts.InForce());

    /// <param name="decided">All verdicts of the steps that they are about.</param>
    public IReadOnlyList<GainLine> For(IReadOnlyList<StoredVerdict> decided)
    {
        var all = tests.All().ToDictionary(test => test.Id);
        var steps = decided.Select(verdict => verdict.Step).ToHashSet();
        var concerned = all.Values.Where(test => steps.Contains(test.Step)).Select(test => test.Id);
        var (reached, shown) = (
            tallies.StepVisitors(),
            tallies.PageVisitors(concerned).ToLookup(page => all[page.Key.Test].Step)
        );
        return
        [
            .. decided
                .Where(verdict => verdict.TakenBackAt is null)
                .GroupBy(verdict => verdict.Step)
                .SelectMany(step =>
                    Lines(
                        [
                            .. step.OrderBy(verdict => verdict.Id)
                                .Select(verdict => new VerdictLine(verdict, all[verdict.Test])),
                        ],
                        reached.GetValueOrDefault(step.Key),
                        [.. shown[step.Key]]
                    )
                )
                .OrderByDescending(line => line.Verdict.Id),
        ];
    }

    /// <param name="inForce">The verdicts of a step, the oldest first.</param>
    /// <param name="reached">Visitors who ever reached it.</param>
    /// <param name="shown">How many visitors each page of its tests had.</param>
    private IEnumerable<GainLine> Lines(
        VerdictLine[] inForce,
        long reached,
        KeyValuePair<(TestId Test, PageId Page), long>[] shown
    )
    {
        for (var i = 0; i < inForce.Length; i++)
        {
            var line = inForce[i];
            if (line.Place == 0 || line.Place >= line.Evidence.Pages.Count || line.Evidence.Reached is not { } then)
                continue;
            var replaced = inForce.Skip(i + 1).FirstOrDefault(later => later.Verdict.Page != line.Verdict.Page);
            var until = replaced is null ? reached : replaced.Evidence.Reached ?? then;
            // Whom a test since then put on another page did not see this one.
            var elsewhere = shown
                .Where(page =>
                    page.Key.Test.Value > line.Test.Id.Value
                    && page.Key.Test.Value <= (replaced?.Test.Id.Value ?? long.MaxValue)
                    && page.Key.Page != line.Verdict.Page
                )
                .Sum(page => page.Value);
            if (Line(line, Math.Max(0, until - then - elsewhere)) is { } gain)
                yield return gain;
        }
    }

    /// <summary>
    /// In money where the test told it in the owner's currency, else in conversions; null where the evidence has no
    /// interval.
    /// </summary>
    private GainLine? Line(VerdictLine line, long visitors)
    {
        var (evidence, kept) = (line.Evidence, line.Evidence.Pages[line.Place]);
        if (kept is { More: { } more, MoreRange: [var least, var most] } && evidence.Currency == settings.Currency.Code)
            return new(
                line.Verdict,
                RealisedUplift.From(more, new Interval(least, most), visitors),
                visitors,
                settings.Currency,
                evidence.Many
            );
        return kept is { Difference: { } difference, Range: [var low, var high] }
            ? new(
                line.Verdict,
                RealisedUplift.From(difference, new Interval(low, high), visitors),
                visitors,
                null,
                evidence.Many
            )
            : null;
    }
}
