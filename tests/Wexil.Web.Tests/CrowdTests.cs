using System.Net;
using Wexil.App.Monitoring;
using Wexil.App.Outbox;
using Wexil.App.Results;
using Wexil.Core.Common;
using Wexil.Core.Results;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;

namespace Wexil.Web.Tests;

/// <summary>Many visitors from one network or with one browser are told of, with the verdict without them.</summary>
[Trait("For", "security")]
public sealed class CrowdTests : IAsyncLifetime
{
    private readonly WexilFixture _wexil = new()
    {
        Adjust = options => options with { TrustedProxies = [IPAddress.Loopback, IPAddress.IPv6Loopback] },
    };

    public Task InitializeAsync() => _wexil.InitializeAsync();

    public Task DisposeAsync() => _wexil.DisposeAsync();

    [Fact]
    public async Task A_program_on_one_network_is_seen_however_its_addresses_change()
    {
        var tested = await _wexil.StartTestAsync("farmed");
        for (var i = 0; i < 250; i++)
        {
            await ComeFromAsync($"{11 + i % 200}.{i % 250}.{i % 7}.9");
            if (i < 120)
                await ComeFromAsync($"203.0.113.{i}");
        }
        await _wexil.Host.Journal.WhenProjectedAsync();
        var alarm = Read(tested)!;
        var crowd = Assert.Single(alarm.Crowds);
        Assert.Equal(CrowdKind.Network, crowd.Crowd.Kind);
        Assert.InRange(crowd.Crowd.Arm.Visitors, 120, 150);
        Assert.Equal(370 - crowd.Crowd.Arm.Visitors, alarm.Without.Result.Total.Visitors);
        // No address and no name of a browser is in the file.
        Assert.DoesNotContain("203.0.113", Events(), StringComparison.Ordinal);
        Assert.DoesNotContain("Mozilla", Events(), StringComparison.Ordinal);

        async Task ComeFromAsync(string address)
        {
            using var visitor = _wexil.Visitor(cookies: false);
            visitor.DefaultRequestHeaders.Add("X-Forwarded-For", address);
            using var answer = await visitor.GetAsync("/go/farmed");
            answer.EnsureSuccessStatusCode();
        }
    }

    [Fact]
    public async Task The_verdict_without_them_is_that_of_the_others_alone()
    {
        await _wexil.Get<SettingStore>().SetOwnerMailAsync("owner@larkrow.example");
        var tested = await _wexil.StartTestAsync("faked");
        var random = new Random(5);
        // Everybody else finds B better; somebody has a program opt in on A.
        await ComeAsync(tested, tested.A, 2_000, 200, () => new(1 + random.Next(63), 1 + random.Next(63)));
        await ComeAsync(tested, tested.B, 2_000, 300, () => new(1 + random.Next(63), 1 + random.Next(63)));
        await ComeAsync(tested, tested.B, 400, 0, () => new(17, 40));
        await ComeAsync(tested, tested.A, 400, 400, () => new(17, 40));
        var steps = _wexil.Get<FunnelStore>().Steps(tested.Funnel.Id);
        var test = _wexil.Get<TestStore>().Find(tested.Test)!;
        Assert.IsType<Verdict.ControlBest>(_wexil.Get<TestReader>().Read(test, steps).Verdict);
        var alarm = Read(tested)!;
        Assert.Equal([17], alarm.Crowds.Select(crowd => crowd.Crowd.Number));
        var better = Assert.IsType<Verdict.Better>(alarm.Without.Verdict);
        Assert.Equal(tested.B.Id, better.Page.Id);

        using var owner = await _wexil.OwnerAsync();
        await _wexil.Get<TestMonitor>().LookAsync();
        await _wexil.Get<TestMonitor>().LookAsync();
        var today = WexilFixture.Read(await owner.GetStringAsync("/"));
        Assert.Contains("come from one network", today, StringComparison.Ordinal);
        var count = WexilFixture.Read(await owner.GetStringAsync($"/f/{tested.Funnel.Slug}/faked/count"));
        Assert.Contains("<b>Without them:</b> Keep B", count, StringComparison.Ordinal);
        await _wexil.Get<OutboxDelivery>().SendDueAsync(default);
        var letter = Assert.Single(_wexil.Get<MailSender>().Simulated(), letter =>
            letter.Subject.StartsWith("Problem:", StringComparison.Ordinal)
        );
        Assert.Contains("Without them: Keep B", letter.Words, StringComparison.Ordinal);
        // What is said of them follows from the events, like everything else.
        await _wexil.Host.Journal.RecountAsync();
        await _wexil.Host.Journal.WhenProjectedAsync();
        Assert.Equal(alarm.Crowds, Read(tested)!.Crowds);
    }

    [Fact]
    public async Task Nothing_is_said_of_visitors_who_come_from_everywhere()
    {
        var tested = await _wexil.StartTestAsync("usual");
        var random = new Random(5);
        // Six of ten have the same browser, and convert like the others.
        Core.Visitors.Crowd Usual() => new(1 + random.Next(63), random.Next(10) < 6 ? 5 : 1 + random.Next(63));
        await ComeAsync(tested, tested.A, 1_000, 100, Usual);
        await ComeAsync(tested, tested.B, 1_000, 120, Usual);
        Assert.Null(Read(tested));
    }

    private CrowdAlarm? Read(TestedStep tested) =>
        _wexil
            .Get<CrowdReader>()
            .Read(_wexil.Get<TestStore>().Find(tested.Test)!, _wexil.Get<FunnelStore>().Steps(tested.Funnel.Id));

    private async Task ComeAsync(
        TestedStep tested,
        Core.Pages.Page page,
        int visitors,
        int conversions,
        Func<Core.Visitors.Crowd> crowd
    )
    {
        var phase = _wexil.Get<TestStore>().Phases(tested.Test)[^1].Id;
        var (now, chance) = (_wexil.Time.GetUtcNow(), new SeededChance((int)page.Id.Value * 1_000 + visitors));
        for (var i = 0; i < visitors; i++)
        {
            var visitor = VisitorId.New(now, chance);
            var note = VisitNote.From(Traits.Unknown with { Crowd = crowd() });
            _ = _wexil.Host.Journal.AppendAsync(
                new(
                    Guid.CreateVersion7(),
                    now,
                    EventKind.Enrol,
                    visitor,
                    tested.Step.Id,
                    page.Id,
                    tested.Test,
                    phase,
                    note.ToString()
                )
            );
            if (i < conversions)
                _ = _wexil.Host.Journal.AppendAsync(
                    new(Guid.CreateVersion7(), now, EventKind.Visit, visitor, tested.Thanks.Id, tested.End.Id)
                );
        }
        await _wexil.Host.Journal.WhenProjectedAsync();
    }

    private string Events() =>
        _wexil.Host.Database.Read(c =>
        {
            using var command = c.CreateCommand();
            command.CommandText = "SELECT group_concat(coalesce(data, ''), ' ') FROM events";
            return (string)command.ExecuteScalar()!;
        });
}
