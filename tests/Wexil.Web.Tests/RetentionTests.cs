using System.Text.RegularExpressions;
using Wexil.App.Retention;
using Wexil.Core.Common;
using Wexil.Core.Sales;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;
using Wexil.Store.Retention;

namespace Wexil.Web.Tests;

/// <summary>How long what is kept: as the owner says, and no figure changes by it.</summary>
public sealed partial class RetentionTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    [Fact]
    public async Task The_owner_reads_what_goes_before_it_goes_and_finds_the_same_figures_afterwards()
    {
        var tested = await wexil.StartTestAsync("retained");
        await Crowd.ComeAsync(wexil, tested, 60, 20, 30, order: 4900);
        await wexil.Get<PeopleStore>().AddAsync([("silent@larkrow.example", [])]);
        await wexil
            .Get<SaleStore>()
            .RecordAsync(
                new(SaleKind.Sale, "R-1", "", 4900, "USD", Email: "buyer@larkrow.example", Channel: SaleChannel.Hand),
                null,
                null,
                wexil.Time.GetUtcNow()
            );
        await wexil.Host.Journal.WhenProjectedAsync();
        await wexil.Get<VerdictStore>().KeepAsync([new(tested.Test, tested.B.Id, "Keep B.", "{}")], "by hand");
        wexil.Time.Advance(TimeSpan.FromDays(150));
        await wexil.Get<PeopleStore>().AddAsync([("fresh@larkrow.example", [])]);
        using var owner = await wexil.OwnerAsync();
        var count = $"/f/{tested.Funnel.Slug}/retained/count";
        var before = await ScreenAsync(owner, count);

        var wrong = await PostAsync(owner, "2", "121", "many");
        Assert.Equal(3, wrong.Split("Enter a whole number from 3 to 120").Length - 1);
        Assert.Contains("value=\"many\"", wrong, StringComparison.Ordinal);
        var asked = await PostAsync(owner, "3", "4", "3");
        Assert.Contains("Tonight, this deletes up to", asked, StringComparison.Ordinal);
        Assert.Contains("2 people, the buyer’s address of 1 order.", asked, StringComparison.Ordinal);
        Assert.Equal(new RetentionPeriods(null, null, null), wexil.Get<SettingStore>().Retention);
        await PostAsync(owner, "3", "4", "3", ("Confirmed", "true"));
        Assert.Contains("Saved.", await owner.GetStringAsync("/settings/retention"), StringComparison.Ordinal);
        Assert.Equal(new RetentionPeriods(3, 4, 3), wexil.Get<SettingStore>().Retention);

        using var visitor = wexil.Visitor();
        var privacy = await visitor.GetStringAsync("/privacy");
        Assert.Contains("are deleted after 3 months.", privacy, StringComparison.Ordinal);
        Assert.Contains("or for 4 months after you last did so", privacy, StringComparison.Ordinal);

        // The night before, nothing is due.
        var work = wexil.Get<RetentionWork>();
        var zone = wexil.Get<SettingStore>().Zone;
        while (TimeZoneInfo.ConvertTime(wexil.Time.GetUtcNow(), zone).Hour != RetentionWork.Hour - 1)
            wexil.Time.Advance(TimeSpan.FromHours(1));
        await work.RunDueAsync();
        Assert.Null(wexil.Get<VisitThinning>().Sealed.Until);
        wexil.Time.Advance(TimeSpan.FromHours(1));
        await work.RunDueAsync();

        // Fifty bought; the seventy others and their visits are gone.
        Assert.Equal(70, wexil.Get<VisitThinning>().Sealed.Visitors);
        Assert.Equal(["fresh@larkrow.example"], People());
        Assert.Equal(before, await ScreenAsync(owner, count));
        var health = WexilFixture.Read(await owner.GetStringAsync("/status"));
        Assert.Contains("<dt>Deleted as too old</dt> <dd>70 (", health, StringComparison.Ordinal);
        var screen = WexilFixture.Read(await owner.GetStringAsync("/settings/retention"));
        Assert.Contains("Deleted so far: 70 events of 70 visitors", screen, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_buyers_address_goes_once_nothing_was_heard_of_the_order_for_long()
    {
        var (sales, people) = (wexil.Get<SaleStore>(), wexil.Get<OldPeople>());
        Task SellAsync(SaleKind kind, string order, string line) =>
            sales.RecordAsync(
                new(kind, order, line, 900, "USD", Email: $"{order}@larkrow.example", Channel: SaleChannel.Hand),
                null,
                null,
                wexil.Time.GetUtcNow()
            );
        await SellAsync(SaleKind.Sale, "old", "");
        await SellAsync(SaleKind.Sale, "refunded", "");
        var cutoff = wexil.Time.GetUtcNow().AddMilliseconds(1);
        wexil.Time.Advance(TimeSpan.FromDays(1));
        await SellAsync(SaleKind.Refund, "refunded", "back");
        await SellAsync(SaleKind.Sale, "new", "");
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Equal(0, await people.ForgetBuyersAsync(cutoff.AddMilliseconds(-1)));
        Assert.Equal(1, await people.ForgetBuyersAsync(cutoff));
        Assert.Equal(0, await people.ForgetBuyersAsync(cutoff));
        Assert.Equal(["new@larkrow.example", "refunded@larkrow.example"], Buyers());
        await wexil.Host.Journal.RecountAsync();
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.Equal(["new@larkrow.example", "refunded@larkrow.example"], Buyers());
    }

    [Fact]
    public async Task A_visitor_who_comes_back_after_that_is_a_new_one()
    {
        var tested = await wexil.StartTestAsync("comes-back");
        using var visitor = wexil.Visitor();
        await visitor.GetAsync("/go/comes-back");
        await wexil.Host.Journal.WhenProjectedAsync();
        await wexil.Get<VerdictStore>().KeepAsync([new(tested.Test, tested.A.Id, "Keep A.", "{}")], "by hand");
        wexil.Time.Advance(TimeSpan.FromDays(40));
        // Somebody else's visit is the last event, whose number has to stay.
        using var other = wexil.Visitor();
        await other.GetAsync("/go/comes-back");
        await wexil.Host.Journal.WhenProjectedAsync();
        Assert.True(await wexil.Get<VisitThinning>().RunAsync(wexil.Time.GetUtcNow().AddDays(-1)) > 0);
        await visitor.GetAsync("/go/comes-back");
        await wexil.Host.Journal.WhenProjectedAsync();
        var reached = wexil.Host.Database.Read(c =>
        {
            using var command = c.CreateCommand();
            command.CommandText = $"SELECT visitors FROM step_tallies WHERE step_id = {tested.Step.Id.Value}";
            return (long)command.ExecuteScalar()!;
        });
        Assert.Equal(3, reached);
    }

    /// <summary>A screen but for the tokens of its forms.</summary>
    private static async Task<string> ScreenAsync(HttpClient owner, string address) =>
        Token().Replace(WexilFixture.Read(await owner.GetStringAsync(address)), "");

    [GeneratedRegex("__RequestVerificationToken\"[^>]*>|nonce=\"[^\"]*\"")]
    private static partial Regex Token();

    private static async Task<string> PostAsync(
        HttpClient owner,
        string visits,
        string people,
        string buyers,
        params (string, string)[] more
    )
    {
        var answer = await WexilFixture.PostAsync(
            owner,
            "/settings/retention",
            "",
            [("Visits", visits), ("People", people), ("Buyers", buyers), .. more]
        );
        return WexilFixture.Read(await answer.Content.ReadAsStringAsync());
    }

    private string[] People() =>
        [.. wexil.Get<PeopleStore>().Find(new PeopleFilter(), 100).Select(person => person.Email).Order()];

    private string[] Buyers() =>
        wexil.Host.Database.Read(c =>
        {
            using var command = c.CreateCommand();
            command.CommandText = "SELECT email FROM orders WHERE email <> '' ORDER BY email";
            using var row = command.ExecuteReader();
            var emails = new List<string>();
            while (row.Read())
                emails.Add(row.GetString(0));
            return emails.ToArray();
        });
}
