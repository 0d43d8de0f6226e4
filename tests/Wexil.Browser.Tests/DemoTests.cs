namespace Wexil.Browser.Tests;

/// <summary>The demo in a usual window.</summary>
public sealed class DemoTests
{
    [Fact]
    public Task Every_screen_shows_its_story_and_nothing_for_axe_to_object_to() =>
        DemoScreens.AreAllGoodAsync(1280, 800);
}

/// <summary>The demo on a phone.</summary>
public sealed class DemoOnPhoneTests
{
    [Fact]
    public Task Every_screen_shows_its_story_and_nothing_for_axe_to_object_to() =>
        DemoScreens.AreAllGoodAsync(390, 844);
}

/// <summary>The demo in a window of 1280 by 800 at 200% zoom.</summary>
public sealed class DemoZoomedTests
{
    [Fact]
    public Task Every_screen_shows_its_story_and_nothing_for_axe_to_object_to() =>
        DemoScreens.AreAllGoodAsync(640, 400);
}
