namespace Wexil.Browser.Tests;

/// <summary>The demo in a usual window.</summary>
public sealed class DemoTests
{
    [Fact]
    public Task Every_screen_shows_its_story_and_nothing_for_axe_to_object_to() =>
        DemoScreens.AreAllGoodAsync(1280, 800, async (owner, name) =>
        {
            owner.KeepsStill();
            await DemoScreens.TakePictureAsync(owner, name);
        });
}

/// <summary>The demo on a phone, and in a usual window at 200% zoom.</summary>
public sealed class DemoOnPhoneTests
{
    private const int Width = 390,
        Height = 844;

    [Fact]
    public Task Every_screen_shows_its_story_and_nothing_for_axe_to_object_to() =>
        DemoScreens.AreAllGoodAsync(Width, Height, (owner, _) =>
        {
            owner.Resize(640, 400);
            owner.HoldsRightToLeft();
            owner.Resize(Width, Height);
            return Task.CompletedTask;
        });
}
