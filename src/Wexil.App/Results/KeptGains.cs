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

    /// <summary>A page that a verdict put in the control's place.</summary>
    /// <param name="Check">The check that measured it; null for none.</param>
    /// <param name="Replaced">What put another page in its place; null for nothing so far.</param>
    /// <param name="From">Visitors who had reached the step until then.</param>
    private sealed record KeptPage(VerdictLine Line, VerdictLine? Check, VerdictLine? Replaced, long From);

    /// <summary>The pages, that kept last first, and all tests of their steps.</summary>
    private sealed record Kept(IReadOnlyList<KeptPage> Pages, IReadOnlyDictionary<TestId, StepId> StepOf);

    /// <summary>
    /// One for each verdict that stands and put another page in the control's place, where the evidence says how much
    /// that is; the newest first.
    /// </summary>
    public IReadOnlyList<GainLine> All() => Gains(_all.Value);

    /// <param name="decided">All verdicts of the steps that they are about.</param>
    public IReadOnlyList<GainLine> For(IReadOnlyList<StoredVerdict> decided) => Gains(Read(decided));

    private List<GainLine> Gains(Kept kept)
    {
        var currency = _settings.Currency;
        var reached = _tallies.StepVisitors();
        var shown = _tallies.PageVisitors(kept.StepOf.Keys).ToLookup(page => kept.StepOf[page.Test]);
        var gains = new List<GainLine>(kept.Pages.Count);
        foreach (var page in kept.Pages)
        {
            var step = page.Line.Verdict.Step;
            var until = page.Replaced is { } replaced
                ? replaced.Evidence.Reached ?? page.From
                : reached.GetValueOrDefault(step);
            var visitors = Math.Max(0, until - page.From - Elsewhere(page, shown[step]));
            if ((Measured(page, visitors, currency) ?? Line(page.Line, visitors, currency)) is { } gain)
                gains.Add(gain);
        }
        return gains;
    }

    /// <summary>Visitors whom a test since then put on another page: they did not see this one.</summary>
    /// <param name="shown">How many visitors each page of the step's tests had.</param>
    private static long Elsewhere(KeptPage page, IEnumerable<PageVisitors> shown)
    {
        var (after, last) = (page.Line.Test.Id.Value, page.Replaced?.Test.Id.Value ?? long.MaxValue);
        var elsewhere = 0L;
        foreach (var other in shown)
            if (other.Test.Value > after && other.Test.Value <= last && other.Page != page.Line.Verdict.Page)
                elsewhere += other.Visitors;
        return elsewhere;
    }

    private Kept Read(IReadOnlyList<StoredVerdict> decided)
    {
        StoredVerdict[] inForce = [.. decided.Where(verdict => verdict.TakenBackAt is null)];
        var tests = _tests.OfSteps(inForce.Select(verdict => verdict.Step).Distinct()).ToDictionary(test => test.Id);
        var pages = inForce
            .OrderBy(verdict => verdict.Id)
            .GroupBy(verdict => verdict.Step, verdict => new VerdictLine(verdict, tests[verdict.Test]))
            .SelectMany(step => PagesOf([.. step]));
        return new(
            [.. pages.OrderByDescending(page => page.Line.Verdict.Id)],
            tests.ToDictionary(test => test.Key, test => test.Value.Step)
        );
    }

    /// <param name="inForce">The verdicts of a step, the oldest first.</param>
    private static IEnumerable<KeptPage> PagesOf(VerdictLine[] inForce)
    {
        for (var i = 0; i < inForce.Length; i++)
        {
            var line = inForce[i];
            // What a check brings back gains nothing over the page that it was before.
            if (line.Test.Check is not null)
                continue;
            if (line.Place == 0 || line.Place >= line.Evidence.Pages.Count || line.Evidence.Reached is not { } from)
                continue;
            var later = inForce.Skip(i + 1);
            yield return new(
                line,
                later.FirstOrDefault(verdict => verdict.Test.Check?.Of == line.Test.Id),
                later.FirstOrDefault(verdict => verdict.Verdict.Page != line.Verdict.Page),
                from
            );
        }
    }

    /// <summary>As the check of the page measured it; null where there was none, or it saw too little.</summary>
    private static GainLine? Measured(KeptPage page, long visitors, Currency own)
    {
        if (page is not { Line: var line, Check: { } check })
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
