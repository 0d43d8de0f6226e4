using System.Diagnostics;
using System.Net;
using Microsoft.Data.Sqlite;
using Wexil.App.Outbox;
using Wexil.Core.Common;
using Wexil.Core.Sales;
using Wexil.Store;
using Wexil.Store.Backups;
using Wexil.Store.Recording;
using Wexil.Tests;

namespace Wexil.Web.Tests;

/// <summary>What is left of a person who was removed: nothing, in any file.</summary>
[Trait("For", "security")]
public sealed class RemovalTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    private const string Name = "zinnia.quill",
        Email = "Zinnia.Quill@larkrow.example";

    [Fact]
    public async Task A_removed_person_is_in_no_file_any_more_and_not_in_a_backup_made_then()
    {
        var tested = await wexil.StartTestAsync("removal");
        using var owner = await wexil.OwnerAsync();
        await WexilFixture.PostAsync(
            owner,
            $"/f/{tested.Funnel.Slug}/removal/opt-ins",
            "",
            ("ForwardTo", $"http://127.0.0.1:{WexilFixture.FreePort()}/"),
            ("Fields", "email = EMAIL"),
            ("Confirms", "true"),
            ("Subject", "Is it you?")
        );
        using var visitor = wexil.Visitor();
        await visitor.GetAsync("/go/removal");
        await OptInAsync(visitor, tested, ("email", Email));
        await OptInAsync(visitor, tested, ("email", Email.ToUpperInvariant()), ("wx_leave_empty", "a program"));
        await SpillAsync(tested);
        await wexil.Get<PeopleStore>().AddAsync([(Email, ["letter"])]);
        await wexil
            .Get<SaleStore>()
            .RecordAsync(
                new(SaleKind.Sale, "R-1", "", 4900, "USD", "", Email.ToLowerInvariant(), "", SaleChannel.Hand),
                null,
                null,
                wexil.Time.GetUtcNow()
            );
        await wexil.Host.Journal.WhenProjectedAsync();
        await wexil.Get<OutboxDelivery>().SendDueAsync(default);
        Assert.Contains(wexil.Get<MailSender>().Simulated(), letter =>
            letter.To.Contains(Name, StringComparison.OrdinalIgnoreCase)
        );
        Assert.NotEmpty(FilesWithName());

        await WexilFixture.PostAsync(
            owner,
            $"/people/one?email={Uri.EscapeDataString(Email)}",
            "Remove",
            ("Sure", "true")
        );
        await Eventually.HoldsAsync(() => FilesWithName().Length == 0);
        var backup = Path.Combine(wexil.Host.Options.Data, "after.backup");
        Backup.Make(new DataPaths(wexil.Host.Options.Data), backup, DateTimeOffset.UnixEpoch);
        var unpacked = Directory.CreateDirectory(Path.Combine(wexil.Host.Options.Data, "unpacked")).FullName;
        Backup.Unpack(backup, unpacked, null);
        Assert.Empty(FilesWithName());
        Assert.NotEmpty(Directory.GetFiles(unpacked));
    }

    [Fact]
    public async Task Fifty_five_people_with_look_alike_addresses_hide_nobody()
    {
        const string real = "ivy@look.example";
        await wexil.Get<PeopleStore>().AddAsync([(real, [])]);
        foreach (var number in Enumerable.Range(1, 55))
        {
            wexil.Time.Advance(TimeSpan.FromMinutes(1));
            await wexil.Get<PeopleStore>().AddAsync([($"{new string('a', number)}{real}", [])]);
        }
        await wexil.Get<PeopleStore>().AddAsync([("\u0456vy@look.example", []), ("ivy@look.example.net", [])]);
        using var owner = await wexil.OwnerAsync();
        var address = $"/people/one?email={real}";
        Assert.Contains($"<h1 class=\"headline\">{real}", await owner.GetStringAsync(address));
        await WexilFixture.PostAsync(owner, address, "Remove", ("Sure", "true"));
        Assert.Equal(HttpStatusCode.NotFound, (await owner.GetAsync(address)).StatusCode);
        Assert.Equal(57, wexil.Get<PeopleStore>().Count(new("look.example")));
    }

    private static Task<HttpResponseMessage> OptInAsync(
        HttpClient visitor,
        TestedStep tested,
        params (string Name, string Value)[] fields
    ) =>
        visitor.PostAsync(
            $"/p/{tested.A.Slug}/opt-in",
            new FormUrlEncodedContent(fields.Select(field => KeyValuePair.Create(field.Name, field.Value)))
        );

    /// <summary>The data file is locked for a while, so that an opt-in waits beside it.</summary>
    private async Task SpillAsync(TestedStep tested)
    {
        using var visitor = wexil.Visitor();
        await visitor.GetAsync("/go/removal");
        using (var file = new SqliteConnection($"Data Source={wexil.Host.Options.Data}/wexil.db;Pooling=false"))
        {
            file.Open();
            using var held = file.BeginTransaction(deferred: false);
            await OptInAsync(visitor, tested, ("email", Email));
            Assert.Contains(Path.Combine(wexil.Host.Options.Data, "spill.bin"), FilesWithName());
        }
        await wexil.Host.Journal.WhenProjectedAsync();
    }

    /// <summary>Another process reads: one that closes the data file here would drop SQLite's locks on it.</summary>
    private string[] FilesWithName()
    {
        using var grep = Process.Start(
            new ProcessStartInfo("grep", ["-rlia", "-F", Name, wexil.Host.Options.Data])
            {
                RedirectStandardOutput = true,
            }
        )!;
        var found = grep.StandardOutput.ReadToEnd();
        grep.WaitForExit();
        Assert.InRange(grep.ExitCode, 0, 1);
        return found.Split('\n', StringSplitOptions.RemoveEmptyEntries);
    }
}
