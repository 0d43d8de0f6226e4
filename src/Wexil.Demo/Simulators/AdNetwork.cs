using System.Collections.Concurrent;
using System.Globalization;
using System.Text;
using Wexil.Core.Common;
using Wexil.Core.Targeting;
using Wexil.Web.Visitors.Documents;

namespace Wexil.Demo.Simulators;

/// <summary>
/// An ad network that shows no ads: campaigns with a budget whose clicks arrive with a name and a cost, which takes
/// conversions back and gives its spend as CSV. Its people really follow the links. Simulated, and it says so on every
/// page.
/// </summary>
public sealed class AdNetwork : IAsyncDisposable
{
    internal const string Notice = "Simulated ad network of the demo: no ads are shown, and no money moves.";

    /// <summary>Where it wants to be told of conversions.</summary>
    public const string PostbackPath =
        "/told?click={click_id}&event={event}&value={value}&currency={currency}&order={order}&line={line}";
    private const int MaxPeople = 200,
        AtOnce = 8;
    private const double OptsIn = 0.3;

    private readonly ConcurrentDictionary<int, Campaign> _campaigns = new();
    private readonly TimeProvider _time;
    private readonly Random _chance;
    private readonly CancellationTokenSource _closing = new();
    private readonly ConcurrentBag<Task> _out = [];
    private WebApplication _app = null!;
    private int _lastCampaign;
    private long _lastClick;

    private AdNetwork(TimeProvider time, int seed, long firstClick) =>
        (_time, _chance, _lastClick) = (time, new(seed), firstClick - 1);

    /// <summary>Somebody whom the network sent.</summary>
    public sealed record Click(string Id, DateTimeOffset At, decimal Cost)
    {
        public ConcurrentDictionary<string, string> Conversions { get; } = new();
    }

    /// <summary>A link that the network sends people to, until the budget is spent.</summary>
    public sealed record Campaign(int Id, string Name, string Link, decimal Price, decimal Budget)
    {
        private readonly Lock _lock = new();

        public ConcurrentDictionary<string, Click> Clicks { get; } = new();

        public decimal Spent { get; private set; }

        public bool Pay(decimal price)
        {
            lock (_lock)
            {
                if (Spent + price > Budget)
                    return false;
                Spent += price;
                return true;
            }
        }
    }

    /// <param name="firstClick">The first click's number. The network forgets its clicks when it ends, and a click
    /// known before is no new one.</param>
    public static async Task<AdNetwork> StartAsync(
        TimeProvider time,
        Uri? address = null,
        int seed = 7,
        long firstClick = 1
    )
    {
        var network = new AdNetwork(time, seed, firstClick);
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.SetMinimumLevel(LogLevel.Warning);
        builder.WebHost.UseUrls((address ?? SimulatorAddresses.Default.Network).GetLeftPart(UriPartial.Authority));
        network._app = builder.Build();
        network._app.MapGet("/", (HttpContext http) => network.ListAsync(http, ""));
        network._app.MapPost("/campaigns", network.AddAsync);
        network._app.MapGet("/campaigns/{id:int}", network.ShowAsync);
        network._app.MapPost("/campaigns/{id:int}/people", network.SendPeopleAsync);
        network._app.MapGet("/campaigns/{id:int}/spend.csv", network.Spend);
        network._app.MapGet("/click/{id:int}", network.FollowAsync);
        network._app.MapGet("/told", network.Take);
        await network._app.StartAsync();
        return network;
    }

    public Uri Address => new(_app.Urls.Single());

    /// <summary>A campaign that costs so much a click.</summary>
    /// <param name="link">With {click_id} and {cost} where the network fills them in.</param>
    public int Add(string name, string link, decimal price, decimal budget)
    {
        var id = Interlocked.Increment(ref _lastCampaign);
        _campaigns[id] = new(id, name, link, price, budget);
        return id;
    }

    public async ValueTask DisposeAsync()
    {
        await _closing.CancelAsync();
        await Task.WhenAll(_out);
        await _app.DisposeAsync();
        _closing.Dispose();
    }

    private Task ListAsync(HttpContext http, string problem) =>
        DocumentRenderer.WriteAsync<NetworkCampaigns>(
            http,
            (nameof(NetworkCampaigns.Campaigns), _campaigns.Values.OrderBy(campaign => campaign.Id)),
            (nameof(NetworkCampaigns.Problem), problem)
        );

    private async Task AddAsync(HttpContext http)
    {
        var form = await http.Request.ReadFormAsync();
        if (
            !Uri.TryCreate(form["link"].ToString().Trim(), UriKind.Absolute, out var link)
            || link.Scheme is not ("http" or "https")
        )
            await ListAsync(http, "The link is no whole address.");
        else if (Amount(form["price"]) is not { } price || Amount(form["budget"]) is not { } budget)
            await ListAsync(http, "Price and budget are amounts such as 0.35.");
        else
            http.Response.Redirect(
                $"/campaigns/{Add(form["name"].ToString().Trim(), form["link"].ToString().Trim(), price, budget)}"
            );
    }

    private Task ShowAsync(HttpContext http, int id) =>
        _campaigns.TryGetValue(id, out var campaign)
            ? DocumentRenderer.WriteAsync<NetworkCampaign>(http, (nameof(NetworkCampaign.Campaign), campaign))
            : Results.NotFound().ExecuteAsync(http);

    /// <summary>Somebody clicks the ad: it is paid for, and they are sent on.</summary>
    private async Task FollowAsync(HttpContext http, int id)
    {
        if (!_campaigns.TryGetValue(id, out var campaign))
            await Results.NotFound().ExecuteAsync(http);
        else if (Charge(campaign) is { } link)
            http.Response.Redirect(link);
        else
            await DocumentRenderer.WriteAsync<NetworkAdEnded>(http, (nameof(NetworkAdEnded.Name), campaign.Name));
    }

    private string? Charge(Campaign campaign)
    {
        decimal price;
        // What a click costs swings about the price.
        lock (_chance)
            price = Math.Round(campaign.Price * (decimal)(0.8 + 0.4 * _chance.NextDouble()), 4);
        if (!campaign.Pay(price))
            return null;
        var click = new Click($"c{Interlocked.Increment(ref _lastClick)}", _time.GetUtcNow(), price);
        campaign.Clicks[click.Id] = click;
        return campaign
            .Link.Replace("{click_id}", click.Id, StringComparison.Ordinal)
            .Replace("{cost}", price.ToString(CultureInfo.InvariantCulture), StringComparison.Ordinal);
    }

    private IResult Take(string click, string @event, string? value, string? currency, string? order, string? line)
    {
        if (
            _campaigns
                .Values.Select(campaign => campaign.Clicks.GetValueOrDefault(click))
                .FirstOrDefault(found => found is not null)
            is not { } known
        )
            return Results.NotFound("This click is not ours.");
        known.Conversions[$"{@event}\n{order}\n{line}"] =
            @event + (string.IsNullOrEmpty(value) ? "" : $" of {value} {currency}");
        return Results.Ok("taken");
    }

    private IResult Spend(int id)
    {
        if (!_campaigns.TryGetValue(id, out var campaign))
            return Results.NotFound();
        var tag = AddressQuery.Value(new Uri(campaign.Link).Query, SourceTag.Parameter) ?? "";
        var csv = new StringBuilder("date,source,spend,currency,clicks\n");
        foreach (var day in campaign.Clicks.Values.GroupBy(click => click.At.UtcDateTime.Date).OrderBy(day => day.Key))
        {
            var cost = day.Sum(click => click.Cost);
            csv.Append(
                CultureInfo.InvariantCulture,
                $"{day.Key:yyyy-MM-dd},{tag},{cost:0.00},{Currency.Default.Code},{day.Count()}\n"
            );
        }
        return Results.File(Encoding.UTF8.GetBytes(csv.ToString()), "text/csv", $"spend-{id}.csv");
    }

    private async Task<IResult> SendPeopleAsync(HttpContext http, int id)
    {
        if (!_campaigns.TryGetValue(id, out var campaign))
            return Results.NotFound();
        var form = await http.Request.ReadFormAsync();
        if (int.TryParse(form["people"], NumberStyles.None, CultureInfo.InvariantCulture, out var people))
            _out.Add(SendAsync(campaign, Math.Min(people, MaxPeople)));
        return Results.Redirect($"/campaigns/{id}");
    }

    private Task SendAsync(Campaign campaign, int people) =>
        Parallel
            .ForAsync(
                0,
                people,
                new ParallelOptions { MaxDegreeOfParallelism = AtOnce, CancellationToken = _closing.Token },
                async (_, stop) =>
                {
                    if (Charge(campaign) is not { } link)
                        return;
                    bool optsIn;
                    int number;
                    lock (_chance)
                        (optsIn, number) = (_chance.NextDouble() < OptsIn, _chance.Next());
                    using var person = new SimulatedPerson(number);
                    await person.FollowAsync(new(link), optsIn, stop);
                }
            )
            .ContinueWith(_ => { }, TaskScheduler.Default);

    private static decimal? Amount(string? written) =>
        decimal.TryParse(written, NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out var amount)
        && amount is > 0 and <= 100_000
            ? amount
            : null;

    internal static string Dollars(decimal amount) => $"${amount.ToString("N2", CultureInfo.InvariantCulture)}";
}
