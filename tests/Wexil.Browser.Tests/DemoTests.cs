namespace Wexil.Browser.Tests;

/// <summary>The screens of the demo's funnels.</summary>
public sealed class FunnelDemoTests
{
    [Fact]
    public Task Every_screen_shows_its_story_and_nothing_for_axe_to_object_to() =>
        DemoScreens.AreAllGoodAsync(DemoScreens.OfFunnels);
}

/// <summary>The demo's other screens.</summary>
public sealed class OtherDemoTests
{
    [Fact]
    public Task Every_screen_shows_its_story_and_nothing_for_axe_to_object_to() =>
        DemoScreens.AreAllGoodAsync(DemoScreens.Others);
}
