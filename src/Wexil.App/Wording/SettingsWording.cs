using Wexil.Core.Common;
using Wexil.Core.SplitTests;

namespace Wexil.App.Wording;

/// <summary>Puts changes of a test's settings into words.</summary>
public static class SettingsWording
{
    /// <summary>What changed, without a full stop.</summary>
    /// <param name="name">A page as the owner knows it.</param>
    /// <param name="moment">A moment by the owner's clock.</param>
    public static string Say(SettingChange change, Func<PageId, string> name, Func<DateTimeOffset, string> moment) =>
        change switch
        {
            SettingChange.AllocationChange { Now: Allocation.Rotation } => "Visitors get pages in turn, by weight",
            SettingChange.AllocationChange { Now: Allocation.Adaptive } =>
                "Weights shift every hour toward the page that is ahead",
            SettingChange.AllocationChange => "Visitors get pages at random",
            SettingChange.Floor { Percent: var percent } => $"Each page gets at least {percent}%",
            SettingChange.Share { Percent: var percent } => $"{percent}% of the visitors take part",
            SettingChange.TakingPart { Who: var who } => AudienceWording.Say(who).TrimEnd('.'),
            SettingChange.Others { Page: { } page } => $"Everyone else sees {name(page)}",
            SettingChange.Others => "Everyone else sees the control",
            SettingChange.Closed { Page: var page } => $"{name(page)} is closed to affiliates",
            SettingChange.Opened { Page: var page } => $"{name(page)} is open to affiliates",
            SettingChange.RestsFailing { Rests: true } => "Pages that do not respond are taken out of rotation",
            SettingChange.RestsFailing => "Pages that do not respond stay in rotation",
            SettingChange.Until { End: { } end } => $"Ends {moment(end)}",
            SettingChange.Until => "Runs until you decide",
            _ => throw new ArgumentOutOfRangeException(nameof(change)),
        };
}
