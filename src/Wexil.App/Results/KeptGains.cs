using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Results;
using Wexil.Core.Statistics;
using Wexil.Store;
using Wexil.Store.Recording;

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
    /// <summary>A check measured it; else it is projected from the test that kept the page.</summary>
    public bool IsMeasured { get; init; }

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
public sealed class KeptGains
{
    private readonly TestStore _tests;
    private readonly TallyStore _tallies;
    private readonly SettingStore _settings;

    // What was decided stays until Studio changes something; only its visitors become more.
    private readonly ByHeart<Kept> _all;

    /// <summary>Begins with nothing known by heart.</summary>
    public KeptGains(VerdictStore verdicts, TestStore tests, TallyStore tallies, SettingStore settings, Journal journal)
    {
        (_tests, _tallies, _settings, _all) = (tests, tallies, settings, new(() => Read(verdicts.InForce())));
        journal.Changed += _ => _all.Forget();
    }

    /// <summary>Verdicts in force by step, the oldest first, and all tests of those steps.</summary>
    private sealed record Kept(ILookup<StepId, VerdictLine> ByStep, IReadOnlyDictionary<TestId, StepId> StepOf);

    /// <summary>
    /// One for each verdict that stands and put another page in the control's place, where the evidence says how much
    /// that is; the newest first.
    /// </summary>
    public IReadOnlyList<GainLine> All() => Gains(_all.Value);

    /// <param name="decided">All verdicts of the steps that they are about.</param>
    public IReadOnlyList<GainLine> For(IReadOnlyList<StoredVerdict> decided) => Gains(Read(decided));

    private IReadOnlyList<GainLine> Gains(Kept kept)
    {
        var currency = _settings.Currency;
        var (reached, shown) = (
            _tallies.StepVisitors(),
            _tallies.PageVisitors(kept.StepOf.Keys).ToLookup(page => kept.StepOf[page.Test])
        );
        return
        [
            .. kept
                .ByStep.SelectMany(step =>
                    Lines([.. step], reached.GetValueOrDefault(step.Key), [.. shown[step.Key]], currency)
                )
                .OrderByDescending(line => line.Verdict.Id),
        ];
    }

    private Kept Read(IReadOnlyList<StoredVerdict> decided)
    {
        StoredVerdict[] inForce = [.. decided.Where(verdict => verdict.TakenBackAt is null)];
        var tests = _tests.OfSteps(inForce.Select(verdict => verdict.Step).Distinct()).ToDictionary(test => test.Id);
        return new(
            inForce
                .OrderBy(verdict => verdict.Id)
                .ToLookup(verdict => verdict.Step, verdict => new VerdictLine(verdict, tests[verdict.Test])),
            tests.ToDictionary(test => test.Key, test => test.Value.Step)
        );
    }

    /// <param name="inForce">The verdicts of a step, the oldest first.</param>
    /// <param name="reached">Visitors who ever reached it.</param>
    /// <param name="shown">How many visitors each page of its tests had.</param>
    private static IEnumerable<GainLine> Lines(
        VerdictLine[] inForce,
        long reached,
        PageVisitors[] shown,
        Currency currency
    )
    {
        for (var i = 0; i < inForce.Length; i++)
        {
            var line = inForce[i];
            // What a check brings back gains nothing over the page that it was before.
            if (line.Test.Check is not null)
                continue;
            if (line.Place == 0 || line.Place >= line.Evidence.Pages.Count || line.Evidence.Reached is not { } then)
                continue;
            var check = inForce.Skip(i + 1).FirstOrDefault(later => later.Test.Check?.Of == line.Test.Id);
            var replaced = inForce.Skip(i + 1).FirstOrDefault(later => later.Verdict.Page != line.Verdict.Page);
            var until = replaced is null ? reached : replaced.Evidence.Reached ?? then;
            // Visitors whom a test since then put on another page did not see this one.
            var elsewhere = shown
                .Where(page =>
                    page.Test.Value > line.Test.Id.Value
                    && page.Test.Value <= (replaced?.Test.Id.Value ?? long.MaxValue)
                    && page.Page != line.Verdict.Page
                )
                .Sum(page => page.Visitors);
            var visitors = Math.Max(0, until - then - elsewhere);
            if ((Measured(line, check, visitors, currency) ?? Line(line, visitors, currency)) is { } gain)
                yield return gain;
        }
    }

    /// <summary>As the check of the page measured it; null where there was none, or it saw too little.</summary>
    private static GainLine? Measured(VerdictLine line, VerdictLine? check, long visitors, Currency own)
    {
        if (check is null)
            return null;
        GainLine? In(MeasuredUplift? measured, Currency? currency) =>
            measured is { Range: { } range }
                ? new(
                    line.Verdict,
                    RealisedUplift.From(measured.Difference, range, visitors),
                    visitors,
                    currency,
                    line.Evidence.Many
                )
                {
                    IsMeasured = true,
                }
                : null;
        return (check.Evidence.Currency == own.Code ? In(check.MeasuredByMoney, own) : null)
            ?? In(check.Measured, null);
    }

    /// <summary>
    /// In money where the test told it in the owner's currency, else in conversions; null where the evidence has no
    /// interval.
    /// </summary>
    private static GainLine? Line(VerdictLine line, long visitors, Currency own)
    {
        var (evidence, kept) = (line.Evidence, line.Evidence.Pages[line.Place]);
        if (kept is { More: { } more, MoreRange: [var least, var most] } && evidence.Currency == own.Code)
            return new(
                line.Verdict,
                RealisedUplift.From(kept.MoreExpected ?? more, new Interval(least, most), visitors),
                visitors,
                own,
                evidence.Many
            );
        return kept is { Difference: { } difference, Range: [var low, var high] }
            ? new(
                line.Verdict,
                RealisedUplift.From(kept.Expected ?? difference, new Interval(low, high), visitors),
                visitors,
                null,
                evidence.Many
            )
            : null;
    }
}
