using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Store;

namespace Wexil.Web.Studio.Sources;

/// <summary>What sources brought, with what follows from it.</summary>
/// <param name="Worth">What a sale brings on average, for funnels whose till tells nothing; null while nobody said, and
/// then nothing is said about money earned.</param>
public sealed record SourceTable(IReadOnlyList<SourceLine> Lines, long? Worth, Currency Currency)
{
    public const string None = "–";

    /// <summary>The till tells of this funnel's orders, so nothing has to be supposed.</summary>
    public bool IsTold => Lines.Any(line => line.Orders > 0);

    public bool KnowsMoney => IsTold || Worth is not null;

    public long Sales(SourceLine line) => IsTold ? line.Orders : line.Sales;

    public string Spent(SourceLine line) => line.Spent is { } spent ? Currency.Show(spent) : None;

    public string PerClick(SourceLine line) =>
        KnowsMoney && line.Clicks > 0 ? Currency.Show((decimal)Earned(line) / line.Clicks) : None;

    public string PerLead(SourceLine line) => Per(line, line.OptIns);

    public string PerSale(SourceLine line) => Per(line, Sales(line));

    /// <summary>What came back for each unit of money spent.</summary>
    public string Return(SourceLine line) =>
        KnowsMoney && line.Spent is > 0 and var spent
            ? Currency.Show(Earned(line) / (decimal)spent * Currency.Unit)
            : None;

    public bool Pays(SourceLine line) => KnowsMoney && line.Spent is { } spent && Earned(line) > spent;

    public static string OptIns(SourceLine line) => line.Visitors == 0 ? None : Format.Count(line.OptIns);

    public static string OptInRate(SourceLine line) =>
        line.Visitors == 0 ? "" : Format.Percent((double)line.OptIns / line.Visitors);

    private long Earned(SourceLine line) => IsTold ? line.Earned : line.Sales * (Worth ?? 0);

    private string Per(SourceLine line, long count) =>
        line.Spent is { } spent && count > 0 ? Currency.Show((decimal)spent / count) : None;
}
