using System.Net;
using Wexil.Core.Funnels;
using Wexil.Store;

namespace Wexil.Web.Tests;

/// <summary>The brand kit, from the screen where it is kept to the starter page that takes it on.</summary>
public sealed class BrandKitTests : IAsyncLifetime
{
    private const string Screen = "/brand";

    private readonly WexilFixture _wexil = new();

    public Task InitializeAsync() => _wexil.InitializeAsync();

    public Task DisposeAsync() => _wexil.DisposeAsync();

    [Fact]
    public async Task A_logo_is_kept_once_and_stands_on_every_starter_page_from_then_on()
    {
        using var owner = await _wexil.OwnerAsync();
        byte[] logo = [0x89, 0x50, 0x4E, 0x47, 1, 2, 3];
        var saved = await SendAsync(owner, "#ffd400", "#f0f8ff", "our logo.PNG", logo);
        Assert.Equal(HttpStatusCode.Redirect, saved.StatusCode);
        Assert.Equal(logo, await owner.GetByteArrayAsync($"{Screen}?handler=Logo"));

        var funnel = await _wexil.Get<FunnelStore>().CreateAsync("Kit");
        var step = (await _wexil.Get<FunnelStore>().AddStepAsync(funnel.Id, StepKind.OptIn, "Kit", "kit"))!;
        await WexilFixture.PostAsync(owner, "/f/kit/kit/build/add", "Starter", ("Starter", "opt-in"));
        var page = Assert.Single(_wexil.Get<PageStore>().ForStep(step.Id));
        var source = _wexil.Get<PageStore>().Source(page);
        Assert.Contains("src=\"files/logo.png\"", source, StringComparison.Ordinal);
        Assert.Contains("--paper: #f0f8ff", source, StringComparison.Ordinal);
        Assert.Equal(logo, _wexil.Get<PageStore>().File(page.Id, 1, "files/logo.png")!.Content);

        await WexilFixture.PostAsync(owner, Screen, "RemoveLogo");
        Assert.Equal(HttpStatusCode.NotFound, (await owner.GetAsync($"{Screen}?handler=Logo")).StatusCode);
        Assert.NotNull(_wexil.Get<PageStore>().File(page.Id, 1, "files/logo.png"));
    }

    [Fact]
    public async Task What_cannot_be_used_is_said_by_its_field_and_changes_nothing()
    {
        using var owner = await _wexil.OwnerAsync();
        var large = new byte[(200 << 10) + 1];
        foreach (
            var (accent, paper, name, content, field) in new[]
            {
                ("red", "#ffffff", "", Array.Empty<byte>(), "Accent"),
                ("#ffd400", "#102030", "", [], "Paper"),
                ("#ffd400", "#ffffff", "logo.png", "no picture"u8.ToArray(), "Logo"),
                ("#ffd400", "#ffffff", "logo.png", large, "Logo"),
            }
        )
        {
            var refused = await (await SendAsync(owner, accent, paper, name, content)).Content.ReadAsStringAsync();
            Assert.Equal([field], Refusals.Of(refused));
            Assert.Contains($"value=\"{accent}\"", refused, StringComparison.Ordinal);
        }
        Assert.Null(_wexil.Get<SettingStore>().BrandAccent);
        Assert.Null(_wexil.Get<SettingStore>().BrandLogo);
    }

    private static async Task<HttpResponseMessage> SendAsync(
        HttpClient owner,
        string accent,
        string paper,
        string name,
        byte[] content
    )
    {
        using var form = new MultipartFormDataContent
        {
            { new StringContent(await WexilFixture.TokenAsync(owner, Screen)), "__RequestVerificationToken" },
            { new StringContent(accent), "Accent" },
            { new StringContent(paper), "Paper" },
            { new StringContent("true"), "IsSerif" },
        };
        if (name.Length > 0)
            form.Add(new ByteArrayContent(content), "Logo", name);
        return await owner.PostAsync(Screen, form);
    }
}
