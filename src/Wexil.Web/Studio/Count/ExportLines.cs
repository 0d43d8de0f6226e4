using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Store;

namespace Wexil.Web.Studio.Count;

/// <summary>What a page had of a goal in a phase. The columns stand in docs/contracts.md.</summary>
internal sealed record ExportLine(
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
)
{
    /// <summary>The share of the phase's visitors who met the goal; null where nobody came.</summary>
    public double? Rate => Visitors == 0 ? null : (double)Conversions / Visitors;

    /// <summary>By the main goal, the page's share over all phases as counted; null for other goals.</summary>
    public double? RateInTotal { get; init; }

    /// <summary>The same with all phases counting alike for every page, as the verdict goes by it.</summary>
    public double? RateWithEqualPhases { get; init; }
}

/// <summary>The figures of a test by phase, page and goal, the main goal first.</summary>
internal sealed class ExportLines(TestReading reading, TallyStore tallies, Currency currency)
{
    private readonly Dictionary<(GoalId, PhaseId, PageId), GoalTally> _goals = tallies
        .Goals(reading.Test.Id)
        .ToDictionary(tally => (tally.Goal, tally.Phase, tally.Page));
    private readonly IReadOnlyDictionary<(PhaseId, PageId), (long Buyers, long Orders, long Earned)> _money =
        tallies.MoneyByPhase(reading.Test.Id, currency);
    private readonly IReadOnlyList<PhaseFacts> _counted = tallies.Phases(reading.Test, reading.Phases);

    public ExportLine[] All() =>
        [
            .. reading.Phases.SelectMany(
                (phase, i) => reading.Test.Pages.SelectMany((id, page) => OfPage(phase, i, id, page))
            ),
        ];

    private IEnumerable<ExportLine> OfPage(Phase phase, int i, PageId id, int page)
    {
        var main = Main(phase, i, id, page);
        return reading
            .Goals.Where(goal => goal.CountsIn(phase))
            .Select(goal => Besides(main, goal.Goal.Name, _goals.GetValueOrDefault((goal.Id, phase.Id, id))))
            .Where(line => line.Goal != main.Goal || reading.Main is null)
            .Prepend(main);
    }

    private ExportLine Main(Phase phase, int i, PageId id, int page)
    {
        var arm = _counted[i].Arms[page];
        var (_, orders, earned) = _money.GetValueOrDefault((phase.Id, id));
        var result = reading.Result.Pages[page];
        var met = reading.Main is { } main ? _goals.GetValueOrDefault((main.Id, phase.Id, id)) : null;
        return new(
            i + 1,
            phase.StartedAt,
            PageLetter.At(page),
            reading.Pages[page].Name,
            _counted[i].Weights[page],
            reading.GoalName,
            arm.Visitors,
            arm.Conversions,
            met?.Times ?? arm.Conversions,
            currency.Write(met?.Value ?? 0),
            orders,
            currency.Write(earned),
            currency.Code
        )
        {
            RateInTotal = result.Total.Visitors == 0 ? null : result.Total.Rate,
            RateWithEqualPhases = result.Rate is null ? null : result.Standard.Rate,
        };
    }

    private ExportLine Besides(ExportLine main, string goal, GoalTally? met) =>
        main with
        {
            Goal = goal,
            Conversions = met?.Visitors ?? 0,
            Times = met?.Times ?? 0,
            Value = currency.Write(met?.Value ?? 0),
            Orders = 0,
            Earned = currency.Write(0),
            RateInTotal = null,
            RateWithEqualPhases = null,
        };
}
