using CsCheck;
using Wexil.Core.AdNetworks;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.Sales;
using Wexil.Core.SplitTests;
using Wexil.Core.Visitors;
using Wexil.Store.Recording;
using Wexil.Store.Retention;
using Wexil.Tests;

namespace Wexil.Store.Tests;

/// <summary>A removed person stays counted: the same figures follow from what is left of the events.</summary>
public sealed class RemovalTests
{
    private const int Visitors = 3;
    private static readonly LedgerFilter Always = new(DateTimeOffset.UnixEpoch, DateTimeOffset.MaxValue);

    // Signs and letters that JSON writes in its own way.
    private static readonly string[] Emails = ["ann+kit@larkrow.example", "björn@larkrow.example"];

    // The first order's number is the address of whoever is asked to pay it.
    private static readonly string[] Orders = [$"{Emails[0]}-1", "K-2", "K-3"],
        Tags = ["ads", "banners"],
        Clicks = ["click-1", "click-2"];

    private static readonly Gen<Act> Acts = Gen.Frequency(
        (4, Gen.Select(Who, One(Tags), One(Clicks), (v, tag, click) => (Act)new Visits(v, tag, click))),
        (
            4,
            Gen.Select(Who, One(Emails), Gen.Bool, (v, email, loud) =>
                (Act)new OptsIn(v, loud ? char.ToUpperInvariant(email[0]) + email[1..] : email)
            )
        ),
        (
            6,
            Gen.Select(
                One(Enum.GetValues<SaleKind>()),
                One(Orders),
                One([.. Emails, .. Emails, ""]),
                Gen.Int[-6, Visitors - 1],
                (kind, order, email, v) => (Act)new Pays(kind, order, email, v)
            )
        ),
        (1, Gen.Select(Who, One(Orders), (v, order) => (Act)new Claims(v, order))),
        (1, One(Emails).Select(email => (Act)new Confirms(email))),
        (2, One(Emails).Select(email => (Act)new IsRemoved(email))),
        (1, Gen.Const((Act)new BuyersAreForgotten()))
    );

    private static Gen<int> Who => Gen.Int[0, Visitors - 1];

    private static Gen<T> One<T>(params T[] of) => Gen.Int[0, of.Length - 1].Select(i => of[i]);

    [Fact]
    public async Task The_same_figures_follow_from_the_events_whoever_is_removed_and_whenever()
    {
        await Gen.Select(Acts.Array[10, 24], Gen.Bool.Array[24])
            .AlwaysHoldsAsync(
                async (acts, ends) =>
                {
                    using var town = await Town.BuildAsync();
                    for (var i = 0; i < acts.Length; i++)
                    {
                        await town.DoAsync(acts[i], i);
                        if (ends[i])
                            await town.World.Journal.WhenProjectedAsync();
                    }
                    await CountsTheSameAgainAsync(town);
                },
                iter: 60
            );
    }

    [Fact]
    public async Task A_network_is_not_told_again_of_an_order_whose_number_was_an_address()
    {
        using var town = await Town.BuildAsync();
        Act[] acts =
        [
            new Visits(0, Tags[0], Clicks[0]),
            new Pays(SaleKind.Sale, Orders[0], Emails[0], 0),
            .. Enumerable.Repeat(new Confirms(Emails[1]), 4),
            new BuyersAreForgotten(),
        ];
        for (var i = 0; i < acts.Length; i++)
        {
            await town.DoAsync(acts[i], i);
            await town.World.Journal.WhenProjectedAsync();
        }
        Assert.Single(town.Postbacks());
        Assert.DoesNotContain(Emails[0], town.Texts(), StringComparison.Ordinal);
        await CountsTheSameAgainAsync(town);
    }

    [Theory]
    [InlineData("ann@larkrow.example", true)]
    [InlineData("K-ANN@larkrow.example-17", true)]
    [InlineData("Kit for ann@larkrow.example.", true)]
    [InlineData("joann@larkrow.example", false)]
    [InlineData("mary.ann@larkrow.example-17", false)]
    [InlineData("ann@larkrow.example.net", false)]
    [InlineData("ann@larkrow.examples", false)]
    [InlineData("ann@lar\u212Arow.example", false)]
    [InlineData("K-17", false)]
    public void An_address_in_a_text_goes_but_no_part_of_another_address(string text, bool goes)
    {
        var without = new StandIns(["Ann@larkrow.example"]).Replace(text);
        Assert.Equal(goes, without != text);
        Assert.Equal(
            text.Contains("ann@larkrow.example", StringComparison.OrdinalIgnoreCase) && !goes,
            without.Contains("ann@larkrow.example", StringComparison.OrdinalIgnoreCase)
        );
    }

    private static async Task CountsTheSameAgainAsync(Town town)
    {
        await town.World.Journal.WhenProjectedAsync();
        var (once, told) = (town.World.Tables(), town.Postbacks());
        await town.World.Journal.RecountAsync();
        await town.World.Journal.WhenProjectedAsync();
        Assert.Equal(once, town.World.Tables());
        Assert.Equal(told, town.Postbacks());
    }

    private abstract record Act;

    private sealed record Visits(int Visitor, string Tag, string Click) : Act;

    private sealed record OptsIn(int Visitor, string Email) : Act;

    private sealed record Pays(SaleKind Kind, string Order, string Email, int Visitor) : Act;

    private sealed record Claims(int Visitor, string Order) : Act;

    private sealed record Confirms(string Email) : Act;

    private sealed record IsRemoved(string Email) : Act;

    private sealed record BuyersAreForgotten : Act;

    /// <summary>A test whose visitors come by two networks' clicks.</summary>
    private sealed class Town : IDisposable
    {
        private readonly PersonRemoval _removal;
        private readonly SourceStore _sources;
        private readonly FunnelId _funnel;
        private readonly JournalEvent[] _visitors;

        private Town(World world, SplitTest test)
        {
            (World, Test) = (world, test);
            _removal = new(world.Database, world.Journal);
            _sources = new(world.Database, world.Journal, world.Time);
            _funnel = world.Funnels.All().Single().Id;
            _visitors = [.. Enumerable.Range(0, Visitors).Select(i => world.Enrols(test, i % 2))];
        }

        public World World { get; }

        public SplitTest Test { get; }

        public static async Task<Town> BuildAsync()
        {
            var world = new World();
            var town = new Town(world, await world.StartTestAsync());
            await world.Goals.AddAsync(town.Test.Id, new(GoalKind.Sale, "Bought") { ValueComes = true });
            foreach (var tag in Tags)
                await town._sources.SaveAsync(
                    town._funnel,
                    null,
                    tag,
                    tag,
                    SourceKind.Ad,
                    null,
                    new Dictionary<StepId, PageId>()
                );
            foreach (var source in town._sources.ForFunnel(town._funnel))
                await town._sources.SetNetworkAsync(
                    source.Id,
                    new(
                        LinkPart.Parse("click={click_id}")!.Value,
                        null,
                        0,
                        PostbackAddress.Read("https://ads.example/{click_id}").Address,
                        true,
                        true
                    )
                );
            return town;
        }

        public async Task DoAsync(Act act, int number)
        {
            World.Time.Advance(TimeSpan.FromMinutes(1));
            var now = World.Time.GetUtcNow();
            Task AppendAsync(EventKind kind, int visitor, string data) =>
                World.Journal.AppendAsync(
                    _visitors[visitor] with
                    {
                        Id = Guid.CreateVersion7(),
                        At = now,
                        Kind = kind,
                        Data = data,
                    }
                );
            switch (act)
            {
                case Visits(var visitor, var tag, var click):
                    var traits = new Traits(Device.Phone, Source: tag) { Click = new(click, 250_000) };
                    await AppendAsync(EventKind.Enrol, visitor, VisitNote.From(traits).ToString());
                    break;
                case OptsIn(var visitor, var email):
                    await AppendAsync(EventKind.OptIn, visitor, email);
                    break;
                case Pays(var kind, var order, var email, var visitor):
                    await World.Sales.RecordAsync(
                        new(kind, order, $"{number}", 1900 + number, "USD", $"Kit for {email}", email),
                        visitor < 0 ? null : _visitors[visitor].Visitor,
                        null,
                        now
                    );
                    break;
                case Claims(var visitor, var order):
                    await World.Sales.ClaimAsync(order, _visitors[visitor].Visitor, now);
                    break;
                case Confirms(var email):
                    await AppendAsync(EventKind.Confirmed, 0, email);
                    break;
                case IsRemoved(var email):
                    await RemoveAsync(email);
                    break;
                case BuyersAreForgotten:
                    await new OldPeople(World.Database, World.Journal, _removal).ForgetBuyersAsync(now.AddMinutes(-3));
                    break;
            }
        }

        /// <summary>What the networks are told.</summary>
        public IReadOnlyList<string> Postbacks() =>
            [
                .. new OutboxStore(World.Database, World.Journal, World.Time)
                    .Waiting(100)
                    .Select(one => one.What.Fields)
                    .Order(),
            ];

        private async Task RemoveAsync(string email)
        {
            await World.Journal.WhenProjectedAsync();
            var before = Figures();
            await _removal.RemoveAsync(email);
            Assert.Equal(before, Figures());
            Assert.DoesNotContain(email, Texts(), StringComparison.OrdinalIgnoreCase);
        }

        private string Figures() =>
            string.Join(
                '\n',
                [
                    .. World.Sales.Totals(Always).Select(total => $"{total}"),
                    .. World.Sales.Sums(Always, LedgerBy.Source).Select(sum => $"{sum}"),
                    .. World.Tallies.Money(Test, Currency.Default).Select(page => $"{page}"),
                    .. _sources
                        .Lines(_funnel, Currency.Default)
                        .Select(line => $"{line.Clicks} {line.Orders} {line.Spent}"),
                ]
            );

        /// <summary>All that the events, the orders and what goes out say.</summary>
        public string Texts() =>
            World.Database.Read(c =>
            {
                using var command = c.CreateCommand();
                command.CommandText = """
                    SELECT group_concat(text) FROM (
                      SELECT coalesce(data, '') text FROM events WHERE kind <> 6
                      UNION ALL SELECT value FROM events, json_each(data) WHERE kind = 6
                      UNION ALL SELECT order_id || ' ' || email FROM orders
                      UNION ALL SELECT order_id || ' ' || product FROM order_lines
                      UNION ALL SELECT order_id FROM order_tests
                      UNION ALL SELECT email FROM leads
                      UNION ALL SELECT email || ' ' || fields FROM outgoing
                    )
                    """;
                return command.ExecuteScalar() as string ?? "";
            });

        public void Dispose() => World.Dispose();
    }
}
