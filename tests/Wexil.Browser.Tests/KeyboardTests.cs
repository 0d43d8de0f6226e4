using Microsoft.Extensions.DependencyInjection;
using OpenQA.Selenium;
using Wexil.Store;

namespace Wexil.Browser.Tests;

/// <summary>A whole job without a mouse: what cannot be reached, or is not seen to have the focus, fails.</summary>
public sealed class KeyboardTests
{
    [Fact]
    public async Task A_first_test_is_made_rehearsed_and_started_by_keys_alone()
    {
        await using var site = await Site.StartAsync();
        using var owner = new Browser();
        site.SignIn(owner);
        owner.Open(site.Studio);
        owner.TabTo("Skip to content");
        owner.TabTo("Start");
        owner.Type(Keys.Enter);

        // The first field has the focus already.
        owner.WaitForText("What do you have?");
        owner.Type("Harvest kit");
        owner.TabTo("elsewhere");
        // One of several choices takes the arrows.
        owner.Type(Keys.ArrowDown);
        owner.Type(Keys.ArrowDown);
        owner.TabTo("Continue");
        owner.Type(Keys.Enter);

        owner.WaitForText("Headline of the second page");
        owner.TabTo("Headline of the second page");
        owner.Type("Your first salad in 21 days");
        owner.TabTo("Create the second page");
        owner.Type(Keys.Enter);
        owner.WaitForText("go live when the test starts");
        owner.TabTo("Start the test");
        owner.Type(Keys.Enter);
        owner.WaitForText("The test is running.");

        owner.TabTo("Send rehearsal visitors first");
        owner.Type(Keys.Enter);
        owner.WaitForText("See the whole funnel work");
        owner.TabTo("Send rehearsal visitors");
        owner.Type(Keys.Enter);
        owner.WaitForText("All 12 visitors came to the end");
        owner.TabTo("Wipe this rehearsal");
        owner.Type(Keys.Enter);
        owner.WaitForText("The rehearsal is wiped.");

        // The four stages have a key each, and the search has one.
        owner.Open(site.Studio, "/f/harvest-kit/harvest-kit/build");
        owner.Run("document.body.focus()");
        owner.Type("3");
        owner.WaitForText("Which page does best");
        owner.Type("4");
        owner.WaitForText("Keep a page anyway");
        owner.Type("?");
        owner.WaitForText("Keyboard shortcuts");
        owner.TabTo("Close");
        owner.Type(Keys.Enter);
        owner.Type("/");
        owner.Type("salad" + Keys.Enter);
        owner.WaitForText("Your first salad in 21 days");
        Assert.NotNull(site.Host.Services.GetRequiredService<TestStore>().Newest());
    }
}
