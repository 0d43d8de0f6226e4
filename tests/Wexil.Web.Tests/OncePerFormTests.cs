using System.Net;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Tests;

/// <summary>What people do who click twice, press Back, or try again.</summary>
public sealed class OncePerFormTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    [Fact]
    public async Task Four_clicks_make_one_page_and_all_of_them_come_to_it_with_the_same_message()
    {
        var tested = await wexil.StartTestAsync("clicked");
        using var owner = await wexil.OwnerAsync();
        var build = $"/f/clicked/{tested.Step.Slug}/build";
        var form = Form(await WexilFixture.TokenAsync(owner, build), ("original", $"{tested.A.Id.Value}"));
        var answers = await Task.WhenAll(
            Enumerable
                .Range(0, 4)
                .Select(_ => owner.PostAsync($"{build}?handler=Clone", new FormUrlEncodedContent(form)))
        );
        Assert.All(answers, answer => Assert.Equal(HttpStatusCode.Redirect, answer.StatusCode));
        var address = Assert.Single(answers.Select(answer => answer.Headers.Location!).Distinct());
        Assert.Equal(3, wexil.Get<PageStore>().ForStep(tested.Step.Id).Count);
        // The last click's answer is the one that a browser follows.
        var last = await owner.PostAsync($"{build}?handler=Clone", new FormUrlEncodedContent(form));
        Assert.Equal(address, last.Headers.Location);
        Assert.Contains("This is a clone of", await owner.GetStringAsync(address), StringComparison.Ordinal);

        // Much later, or from a screen that was loaded again, it is another clone.
        wexil.Time.Advance(OncePerForm.Window);
        await owner.PostAsync($"{build}?handler=Clone", new FormUrlEncodedContent(form));
        Assert.Equal(4, wexil.Get<PageStore>().ForStep(tested.Step.Id).Count);
        await WexilFixture.PostAsync(owner, build, "Clone", ("original", $"{tested.A.Id.Value}"));
        Assert.Equal(5, wexil.Get<PageStore>().ForStep(tested.Step.Id).Count);
    }

    [Fact]
    public async Task What_was_refused_or_is_filled_in_otherwise_is_done()
    {
        var tested = await wexil.StartTestAsync("pasted");
        using var owner = await wexil.OwnerAsync();
        var add = $"/f/pasted/{tested.Step.Slug}/build/add";
        var token = await WexilFixture.TokenAsync(owner, add);
        async Task<string> Paste(string html)
        {
            var form = new FormUrlEncodedContent(Form(token, ("Html", html)));
            return await (await owner.PostAsync($"{add}?handler=Paste", form)).Content.ReadAsStringAsync();
        }

        Assert.Equal(["Html"], Refusals.Of(await Paste("")));
        Assert.Equal(["Html"], Refusals.Of(await Paste("")));
        await Paste("<title>Herbs</title><h1>Herbs</h1>");
        await Paste("<title>Herbs</title><h1>Herbs</h1>");
        await Paste("<title>Salads</title><h1>Salads</h1>");
        var names = wexil.Get<PageStore>().ForStep(tested.Step.Id).Select(page => page.Name);
        Assert.Equal(["Herbs", "Salads"], names.Where(name => !name.StartsWith("pasted", StringComparison.Ordinal)));
    }

    private static KeyValuePair<string, string>[] Form(string token, params (string Name, string Value)[] fields) =>
        [
            .. fields
                .Append(("__RequestVerificationToken", token))
                .Select(field => KeyValuePair.Create(field.Item1, field.Item2)),
        ];
}
