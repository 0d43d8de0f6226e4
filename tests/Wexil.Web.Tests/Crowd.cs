using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Core.Sales;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;

namespace Wexil.Web.Tests;

/// <summary>Visitors made up to order, straight into the journal.</summary>
internal static class Crowd
{
    /// <summary>Visitors of each page come, and so many of each reach the goal.</summary>
    public static async Task ComeAsync(
        WexilFixture wexil,
        TestedStep tested,
        int each,
        int conversionsA,
        int conversionsB,
        long order = 0,
        int alsoB = 0
    )
    {
        var (now, phase, chance) = (
            wexil.Time.GetUtcNow(),
            wexil.Get<TestStore>().Phases(tested.Test)[^1].Id,
            new SeededChance((int)wexil.Time.GetUtcNow().ToUnixTimeSeconds())
        );
        var told = new List<Task>();
        var converts = new List<(Page Page, VisitorId Visitor, int Number)>();
        foreach (
            var (page, count, conversions) in new[]
            {
                (tested.A, each, conversionsA),
                (tested.B, each + alsoB, conversionsB),
            }
        )
            for (var i = 0; i < count; i++)
            {
                var visitor = VisitorId.New(now, chance);
                told.Add(
                    wexil.Host.Journal.AppendAsync(
                        new(
                            Guid.CreateVersion7(),
                            now,
                            EventKind.Enrol,
                            visitor,
                            tested.Step.Id,
                            page.Id,
                            tested.Test,
                            phase
                        )
                    )
                );
                if (i < conversions)
                    converts.Add((page, visitor, i));
            }
        foreach (var (page, visitor, number) in converts)
        {
            told.Add(
                wexil.Host.Journal.AppendAsync(
                    new(Guid.CreateVersion7(), now, EventKind.Visit, visitor, tested.Thanks.Id, tested.End.Id)
                )
            );
            if (order > 0)
                told.Add(
                    wexil
                        .Get<SaleStore>()
                        .RecordAsync(
                            new(
                                SaleKind.Sale,
                                $"O-{page.Id.Value}-{number}-{now.ToUnixTimeSeconds()}",
                                "",
                                order,
                                "USD"
                            ),
                            visitor,
                            null,
                            now
                        )
                );
        }
        await Task.WhenAll(told);
        await wexil.Host.Journal.WhenProjectedAsync();
    }
}
