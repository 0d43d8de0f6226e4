using Wexil.App.Installation;
using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;
using Wexil.Store;

namespace Wexil.App.Tests.Installation;

public sealed class ProvenByVisitsTests
{
    private static readonly DateTimeOffset At = new(2026, 11, 9, 8, 0, 0, TimeSpan.Zero);

    [Theory]
    [InlineData(null, false)]
    [InlineData(-24 * 60 - 1, false)]
    [InlineData(-24 * 60, null)]
    [InlineData(0, null)]
    [InlineData(1, true)]
    public void A_visit_puts_a_check_before_it_right_and_one_shortly_after_it_in_doubt(int? minutes, bool? isGood)
    {
        DateTimeOffset? seen = minutes is { } since ? At.AddMinutes(since) : null;
        PageCheck check = new(
            new PageId(1),
            At,
            [
                new(ScriptCheck.Things[0], false, "The script is not in the page.", "Paste it."),
                new(StartLines.There, false, "The start code is not on the page.", "Paste it."),
                new("Page responds", false, "It does not.", "Try again."),
                new(ScriptCheck.Things[1], true, "Yes."),
            ]
        );
        bool?[] Goods(PageCheck judged) => [.. judged.Findings.Select(finding => finding.Good)];
        Assert.Equal([isGood, false, false, true], Goods(ProvenByVisits.Apply(check, seen, null)));
        Assert.Equal([false, isGood, false, true], Goods(ProvenByVisits.Apply(check, null, seen)));
    }
}
