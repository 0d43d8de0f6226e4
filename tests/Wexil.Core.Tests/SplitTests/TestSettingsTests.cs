using Wexil.Core.Common;
using Wexil.Core.SplitTests;
using Wexil.Core.Targeting;
using Wexil.Core.Visitors;

namespace Wexil.Core.Tests.SplitTests;

/// <summary>What changes of a test's settings are called, and which of them begin a phase.</summary>
public sealed class TestSettingsTests
{
    private static readonly TestSettings Before = TestSettings.Default;
    private static readonly DateTimeOffset End = new(2026, 12, 1, 9, 0, 0, TimeSpan.Zero);
    private static readonly Audience Phones = Audience.Everyone with { Devices = [Device.Phone] };

    public static TheoryData<TestSettings, TestSettings, string, bool> Changes =>
        new()
        {
            { Before, Before with { Turns = Allocation.InTurn }, "Pages take turns exactly to weight", true },
            { Before, Before with { Turns = Allocation.Lean }, "Weights follow the evidence every hour", true },
            { Before with { Turns = Allocation.Lean }, Before, "Pages are drawn by chance", true },
            { Lean(5), Lean(10), "Each page gets 10% at least", false },
            { Before, Before with { Share = 30 }, "30% of the visitors take part", true },
            { Before, Before with { Audience = Phones }, "Phones take part", true },
            { Before, Before with { Others = new PageId(7) }, "Everyone else sees page 7", true },
            { Before with { Others = new PageId(7) }, Before, "Everyone else sees the control", true },
            { Before, Before with { Closed = [new(8)] }, "page 8 is closed to affiliates", true },
            { Before with { Closed = [new(8)] }, Before, "page 8 is open to affiliates", true },
            { Before, Before with { RestsFailing = true }, "A page that does not answer rests", false },
            { Before with { RestsFailing = true }, Before, "A page that does not answer stays in", false },
            { Before, Before with { Until = End }, "Ends 1 December", false },
            { Before with { Until = End }, Before, "Runs until decided", false },
        };

    [Theory]
    [MemberData(nameof(Changes))]
    public void Each_change_is_a_sentence_and_says_whether_it_begins_a_phase(
        TestSettings before,
        TestSettings after,
        string what,
        bool beginsPhase
    ) => Assert.Equal((what, beginsPhase), Assert.Single(To(before, after)));

    [Fact]
    public void Nothing_changed_says_nothing_and_a_floor_counts_only_while_weights_follow_the_evidence()
    {
        Assert.Empty(To(Before, Before with { Floor = 20 }));
        Assert.Empty(To(Before with { Closed = [new(8)] }, Before with { Closed = [new(8)] }));
        Assert.Equal(2, To(Before, Before with { Share = 30, Until = End }).Length);
    }

    private static TestSettings Lean(int floor) => Before with { Turns = Allocation.Lean, Floor = floor };

    private static (string, bool)[] To(TestSettings before, TestSettings after) =>
        [.. before.ChangesTo(after, page => $"page {page.Value}", moment => $"{moment:d MMMM}")];
}
