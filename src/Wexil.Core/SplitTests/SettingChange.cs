using Wexil.Core.Common;
using Wexil.Core.Targeting;

namespace Wexil.Core.SplitTests;

/// <summary>One difference between two ways of sending: one case of those below.</summary>
/// <param name="BeginsPhase">It changes who is counted or where they are sent, so that evidence from before and after
/// is computed apart.</param>
public abstract record SettingChange(bool BeginsPhase)
{
    /// <param name="Now">How pages are drawn from now on.</param>
    public sealed record AllocationChange(Allocation Now) : SettingChange(true);

    /// <param name="Percent">What a page gets at least while weights follow the evidence.</param>
    public sealed record Floor(int Percent) : SettingChange(false);

    /// <param name="Percent">How many of a hundred visitors take part.</param>
    public sealed record Share(int Percent) : SettingChange(true);

    /// <param name="Who">Who takes part.</param>
    public sealed record TakingPart(Audience Who) : SettingChange(true);

    /// <param name="Page">What everyone else sees; null for the control.</param>
    public sealed record Others(PageId? Page) : SettingChange(true);

    /// <summary>A page is closed to affiliates.</summary>
    public sealed record Closed(PageId Page) : SettingChange(true);

    /// <summary>A page is open to affiliates again.</summary>
    public sealed record Opened(PageId Page) : SettingChange(true);

    /// <param name="Rests">A page that does not answer rests, or stays in.</param>
    public sealed record RestsFailing(bool Rests) : SettingChange(false);

    /// <param name="End">When the test ends by itself; null for when it is decided.</param>
    public sealed record Until(DateTimeOffset? End) : SettingChange(false);
}
