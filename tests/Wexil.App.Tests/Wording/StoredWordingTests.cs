using Wexil.App.Fetching;
using Wexil.App.Wording;
using Wexil.Core.Assignments;
using Wexil.Store;

namespace Wexil.App.Tests.Wording;

/// <summary>What data files hold is worded as the rest of the interface is.</summary>
public sealed class StoredWordingTests
{
    [Theory]
    [InlineData("Goes on", "Resumed")]
    [InlineData("Set up to start later", "Scheduled")]
    [InlineData("Verdict taken back", "Keep undone")]
    [InlineData("Leans to the leader: 60/40", "Favoring the leader: 60/40")]
    [InlineData("Goal “Order” taken out", "Goal “Order” removed")]
    [InlineData("“Kit” does not answer and rests", "“Kit” does not respond and is out of rotation")]
    [InlineData("Weights set to 50/50", "Weights set to 50/50")]
    public void What_was_stored_is_shown_in_todays_words(string stored, string shown) =>
        Assert.Equal(shown, StoredWording.What(stored));

    [Theory]
    [InlineData(AdaptiveWeights.Who, "automatic weights")]
    [InlineData(TestStore.Watch, "uptime check")]
    [InlineData(TestStore.Rule, "keep rule")]
    [InlineData(VerdictStore.ByRule, "keep rule")]
    [InlineData("owner", "owner")]
    public void Who_changed_a_test_is_named(string stored, string shown) =>
        Assert.Equal(shown, StoredWording.Who(stored));

    [Fact]
    public void A_private_address_was_not_checked() =>
        Assert.Equal("private address, not checked", StoredWording.Problem(PageFetcher.NotAsked));

    [Fact]
    public void A_page_was_kept_by_hand_or_by_the_rule()
    {
        Assert.Equal("by hand", StoredWording.KeptBy(VerdictStore.ByHand));
        Assert.Equal("by the rule", StoredWording.KeptBy(VerdictStore.ByRule));
    }
}
