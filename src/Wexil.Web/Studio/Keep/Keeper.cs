using System.Text.Json;
using Wexil.Core.Funnels;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Keep;

/// <summary>The evidence of a verdict as it stood, page by page.</summary>
public sealed record Evidence(string Kind, string Sentence, IReadOnlyList<EvidencePage> Pages)
{
    public static Evidence Of(TestReading reading) => new(reading.Verdict.Kind.ToString(), reading.Verdict.Sentence, [.. reading.Standing.Pages.Select(page => new EvidencePage(
        page.Page.Letter, page.Page.Name, page.Total.Visitors, page.Total.Conversions, page.Total.Rate,
        page.AgainstControl?.Difference, page.AgainstControl?.P, page.ChanceBest))]);

    public static Evidence Parse(string json) => JsonSerializer.Deserialize<Evidence>(json)!;
}

public sealed record EvidencePage(string Letter, string Name, long Visitors, long Conversions, double Rate, double? Difference, double? P, double ChanceBest);

/// <summary>Ends a test with its evidence frozen.</summary>
public static class Keeper
{
    public static Task<bool> KeepAsync(VerdictStore verdicts, TestReading reading, PageId page, string keptBy) =>
        verdicts.KeepAsync(reading.Test.Id, page, keptBy, reading.Verdict.Sentence, JsonSerializer.Serialize(Evidence.Of(reading)));
}
