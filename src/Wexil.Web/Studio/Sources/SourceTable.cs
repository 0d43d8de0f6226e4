using Wexil.Core.Funnels;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Sources;

/// <summary>What sources brought, with what follows from it.</summary>
/// <param name="Worth">What a sale brings on average; null while nobody said, and then nothing is said about money earned.</param>
public sealed record SourceTable(IReadOnlyList<SourceLine> Lines, long? Worth, Currency Currency)
{
    public const string None = "–";

    public string Spent(SourceLine line) => line.Spent is { } spent ? Currency.Show(spent) : None;

    public string PerClick(SourceLine line) => Worth is { } worth && line.Clicks > 0 ? Currency.Show((decimal)line.Sales * worth / line.Clicks) : None;

    public string PerLead(SourceLine line) => Per(line, line.OptIns);

    public string PerSale(SourceLine line) => Per(line, line.Sales);

    public string Return(SourceLine line) => Worth is { } worth && line.Spent is > 0 and var spent ? $"{Currency.Show(line.Sales * worth / (decimal)spent * (decimal)Math.Pow(10, Currency.Digits))} per {Currency.Sign}1" : None;

    public bool Pays(SourceLine line) => Worth is { } worth && line.Spent is { } spent && line.Sales * worth > spent;

    public static string OptIns(SourceLine line) => line.Visitors == 0 ? None : $"{Show.Count(line.OptIns)} ({Show.Percent((double)line.OptIns / line.Visitors)})";

    private string Per(SourceLine line, long count) => line.Spent is { } spent && count > 0 ? Currency.Show((decimal)spent / count) : None;
}
