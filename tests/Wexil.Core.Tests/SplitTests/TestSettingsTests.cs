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

    public static TheoryData<TestSettings, TestSettings, SettingChange> Changes =>
        new()
        {
            {
                Before,
                Before with
                {
                    Allocation = Allocation.Rotation,
                },
                new SettingChange.AllocationChange(Allocation.Rotation)
            },
            {
                Before with
                {
                    Allocation = Allocation.Adaptive,
                },
                Before,
                new SettingChange.AllocationChange(Allocation.Random)
            },
            { Lean(5), Lean(10), new SettingChange.Floor(10) },
            { Before, Before with { Share = 30 }, new SettingChange.Share(30) },
            { Before, Before with { Audience = Phones }, new SettingChange.TakingPart(Phones) },
            { Before, Before with { Others = new PageId(7) }, new SettingChange.Others(new PageId(7)) },
            { Before with { Others = new PageId(7) }, Before, new SettingChange.Others(null) },
            { Before, Before with { Closed = [new(8)] }, new SettingChange.Closed(new(8)) },
            { Before with { Closed = [new(8)] }, Before, new SettingChange.Opened(new(8)) },
            { Before, Before with { RestsFailing = true }, new SettingChange.RestsFailing(true) },
            { Before with { RestsFailing = true }, Before, new SettingChange.RestsFailing(false) },
            { Before, Before with { Until = End }, new SettingChange.Until(End) },
            { Before with { Until = End }, Before, new SettingChange.Until(null) },
        };

    [Theory]
    [MemberData(nameof(Changes))]
    public void Each_change_is_told(TestSettings before, TestSettings after, SettingChange change) =>
        Assert.Equal(change, Assert.Single(before.ChangesTo(after)));

    [Fact]
    public void What_moves_visitors_or_counts_others_begins_a_phase_and_nothing_else_does()
    {
        Type[] beginning =
        [
            typeof(SettingChange.AllocationChange),
            typeof(SettingChange.Share),
            typeof(SettingChange.TakingPart),
            typeof(SettingChange.Others),
            typeof(SettingChange.Closed),
            typeof(SettingChange.Opened),
        ];
        Assert.All(Changes.Select(row => (SettingChange)row[2]), change =>
            Assert.Equal(beginning.Contains(change.GetType()), change.BeginsPhase)
        );
    }

    [Fact]
    public void Nothing_changed_says_nothing_and_a_floor_counts_only_while_weights_follow_the_evidence()
    {
        Assert.Empty(Before.ChangesTo(Before with { Floor = 20 }));
        Assert.Empty((Before with { Closed = [new(8)] }).ChangesTo(Before with { Closed = [new(8)] }));
        Assert.Equal(2, Before.ChangesTo(Before with { Share = 30, Until = End }).Count());
    }

    private static TestSettings Lean(int floor) => Before with { Allocation = Allocation.Adaptive, Floor = floor };
}
