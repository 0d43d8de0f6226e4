using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.SplitTests;
using Wexil.Core.Targeting;
using Wexil.Core.Visitors;

namespace Wexil.App.Tests.Wording;

/// <summary>What changes of a test's settings are called.</summary>
public sealed class SettingsWordingTests
{
    private static readonly DateTimeOffset End = new(2026, 12, 1, 9, 0, 0, TimeSpan.Zero);
    private static readonly PageId Seven = new(7);

    public static TheoryData<SettingChange, string> Changes =>
        new()
        {
            { new SettingChange.AllocationChange(Allocation.Rotation), "Visitors get pages in turn, by weight" },
            {
                new SettingChange.AllocationChange(Allocation.Adaptive),
                "Weights shift every hour toward the page that is ahead"
            },
            { new SettingChange.AllocationChange(Allocation.Random), "Visitors get pages at random" },
            { new SettingChange.Floor(10), "Each page gets at least 10%" },
            { new SettingChange.Share(30), "30% of the visitors take part" },
            { new SettingChange.TakingPart(Audience.Everyone with { Devices = [Device.Phone] }), "Phones take part" },
            { new SettingChange.Others(Seven), "Everyone else sees page 7" },
            { new SettingChange.Others(null), "Everyone else sees the control" },
            { new SettingChange.Closed(Seven), "page 7 is closed to affiliates" },
            { new SettingChange.Opened(Seven), "page 7 is open to affiliates" },
            { new SettingChange.RestsFailing(true), "Pages that do not respond are taken out of rotation" },
            { new SettingChange.RestsFailing(false), "Pages that do not respond stay in rotation" },
            { new SettingChange.Until(End), "Ends 1 December" },
            { new SettingChange.Until(null), "Runs until you decide" },
        };

    [Theory]
    [MemberData(nameof(Changes))]
    public void A_change_has_its_words(SettingChange change, string words) =>
        Assert.Equal(
            words,
            SettingsWording.Say(
                change,
                page => $"page {page.Value}",
                moment => moment.ToString("d MMMM", System.Globalization.CultureInfo.InvariantCulture)
            )
        );
}
