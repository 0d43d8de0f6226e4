using System.Globalization;
using System.Net;
using System.Text;
using Microsoft.Data.Sqlite;
using Wexil.Core.Sales;
using Wexil.Store;
using Wexil.Tests;
using Wexil.Web.Hosting;

namespace Wexil.Web.Tests;

/// <summary>What only Wexil and one other may know.</summary>
[Trait("For", "security")]
public sealed class SecretTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    private SecretStore Secrets => wexil.Get<SecretStore>();

    [Fact]
    public async Task No_secret_can_be_read_in_the_data_file()
    {
        var secret = await Secrets.RenewHookSecretAsync();
        await Secrets.RenewHookSecretAsync();
        string[] open =
        [
            secret,
            Encoding.UTF8.GetString(Secrets.HookSecret!),
            Convert.ToBase64String(await Secrets.TokenKeyAsync()),
        ];
        await wexil.Host.Journal.WriteAsync(c =>
        {
            using var command = c.CreateCommand();
            command.CommandText = "SELECT group_concat(value) FROM settings";
            var kept = (string)command.ExecuteScalar()!;
            Assert.All(open, known => Assert.DoesNotContain(known, kept, StringComparison.Ordinal));
        });
    }

    [Fact]
    public void Nobody_else_on_the_machine_reads_what_Wexil_keeps()
    {
        var (data, own) = (wexil.Host.Options.Data, UnixFileMode.UserRead | UnixFileMode.UserWrite);
        foreach (var file in (string[])["wexil.db", "wexil.db-wal", "spill.bin"])
            Assert.Equal((file, own), (file, File.GetUnixFileMode(Path.Combine(data, file))));
        var keys = Path.Combine(data, "keys");
        foreach (var folder in (string[])[data, keys])
            Assert.Equal(own | UnixFileMode.UserExecute, File.GetUnixFileMode(folder));
        Assert.All(Directory.GetFiles(keys), key => Assert.Equal(own, File.GetUnixFileMode(key)));
    }

    [Fact]
    public async Task A_new_payment_secret_and_the_one_before_are_both_good_until_that_one_is_ended()
    {
        await using var fresh = new FreshWexil();
        await fresh.InitializeAsync();
        var (own, owner) = (fresh.Wexil, await fresh.Wexil.OwnerAsync());
        var first = await own.Get<SecretStore>().RenewHookSecretAsync();
        Assert.Null(own.Get<SecretStore>().BeforeUntil);
        await WexilFixture.PostAsync(owner, "/settings", "Secret");
        var second = Encoding.UTF8.GetString(own.Get<SecretStore>().HookSecret!);
        // Pressed twice, the button shows the same one again and ends none.
        using (var again = await WexilFixture.PostAsync(owner, "/settings", "Secret"))
            Assert.Contains(second, await again.Content.ReadAsStringAsync());
        Assert.Equal(
            (HttpStatusCode.OK, HttpStatusCode.OK),
            (await SendAsync(own, first), await SendAsync(own, second))
        );
        own.Time.Advance(SecretStore.BeforeLasts - TimeSpan.FromSeconds(1));
        Assert.Equal((HttpStatusCode.OK, 2), (await SendAsync(own, first), own.Get<SecretStore>().ServerKeys.Count));
        own.Time.Advance(TimeSpan.FromSeconds(1));
        Assert.Equal(
            (HttpStatusCode.Unauthorized, HttpStatusCode.OK),
            (await SendAsync(own, first), await SendAsync(own, second))
        );
        owner = await own.OwnerAsync();
        await WexilFixture.PostAsync(owner, "/settings", "Secret");
        Assert.Equal(HttpStatusCode.OK, await SendAsync(own, second));
        Assert.Contains("The secret before is accepted too", await owner.GetStringAsync("/settings"));
        await WexilFixture.PostAsync(owner, "/settings", "EndSecret");
        Assert.Equal(HttpStatusCode.Unauthorized, await SendAsync(own, second));
        Assert.DoesNotContain("The secret before is accepted too", await owner.GetStringAsync("/settings"));
    }

    [Fact]
    public async Task Without_its_keys_a_data_folder_is_refused_in_words_and_with_them_it_opens_again()
    {
        var data = TemporaryFolder.Create("keys");
        var options = Options(data);
        await using (await WexilHost.StartAsync(options)) { }
        Directory.Move(Path.Combine(data, "keys"), Path.Combine(data, "elsewhere"));
        var refused = await Assert.ThrowsAsync<StoreException>(() => WexilHost.StartAsync(options));
        Assert.Contains("Put back the whole data folder", refused.Message);
        Directory.Delete(Path.Combine(data, "keys"), recursive: true);
        Directory.Move(Path.Combine(data, "elsewhere"), Path.Combine(data, "keys"));
        await using (await WexilHost.StartAsync(options)) { }
        TemporaryFolder.Delete(data);
    }

    [Fact]
    public async Task What_an_earlier_version_kept_open_is_sealed_at_the_start()
    {
        var data = TemporaryFolder.Create("open");
        var options = Options(data);
        await using (await WexilHost.StartAsync(options)) { }
        Change(data, "UPDATE settings SET value = 'YQ==' WHERE name = 'visitor-token-key'");
        await using (var host = await WexilHost.StartAsync(options)) { }
        Assert.StartsWith("sealed ", Change(data, "SELECT value FROM settings WHERE name = 'visitor-token-key'"));
        await using (var host = await WexilHost.StartAsync(options))
            Assert.Equal(
                "a"u8.ToArray(),
                await ((SecretStore)host.Services.GetService(typeof(SecretStore))!).TokenKeyAsync()
            );
        TemporaryFolder.Delete(data);
    }

    private static WexilOptions Options(string data) =>
        new()
        {
            Data = data,
            Studio = new($"http://localhost:{WexilFixture.FreePort()}"),
            Visitors = new($"http://127.0.0.1:{WexilFixture.FreePort()}"),
            FollowsClock = false,
        };

    private static string? Change(string data, string statement)
    {
        using var file = new SqliteConnection($"Data Source={data}/wexil.db;Pooling=false");
        file.Open();
        using var command = file.CreateCommand();
        command.CommandText = statement;
        return command.ExecuteScalar() as string;
    }

    private static async Task<HttpStatusCode> SendAsync(WexilFixture own, string secret)
    {
        var body = $$"""{"order":"{{Guid.NewGuid()}}","amount":100,"currency":"USD"}""";
        var timestamp = own.Time.GetUtcNow().ToUnixTimeSeconds().ToString(CultureInfo.InvariantCulture);
        var signature = HookSignature.Compute(Encoding.UTF8.GetBytes(secret), timestamp, Encoding.UTF8.GetBytes(body));
        using var service = own.Visitor();
        using var message = new HttpRequestMessage(HttpMethod.Post, "/hooks/sale")
        {
            Content = new StringContent(body),
            Headers = { { HookSignature.TimestampHeader, timestamp }, { HookSignature.SignatureHeader, signature } },
        };
        using var answer = await service.SendAsync(message);
        return answer.StatusCode;
    }
}
