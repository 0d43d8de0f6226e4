using System.Collections.Concurrent;
using System.Globalization;
using System.Text.Json;
using Wexil.Core.Common;
using Wexil.Core.Sales;
using Wexil.Web.Visitors.Documents;

namespace Wexil.Demo.Simulators;

/// <summary>
/// A till that moves no money: an order page with test cards, which tells Wexil of sales and refunds as a payment
/// service does, by the signed hook. Simulated, and it says so on every page.
/// </summary>
public sealed class Till : IAsyncDisposable
{
    internal const string Notice = "Simulated checkout (demo): no money moves and no card is read.";

    private static readonly Dictionary<string, Product> Products = new()
    {
        ["kit"] = new("Balcony Harvest Kit", 4900, "light"),
        ["light"] = new("Winter light", 2400, "received"),
    };
    private readonly ConcurrentDictionary<string, Order> _orders = new();
    private readonly HttpClient _client = new();
    private readonly string _wexil;
    private readonly Func<byte[]?> _secret;
    private readonly TimeProvider _time;
    private WebApplication _app = null!;
    private int _last;

    private Till(string wexil, Func<byte[]?> secret, TimeProvider time, int first) =>
        (_wexil, _secret, _time, _last) = (wexil, secret, time, first - 1);

    /// <param name="Price">In cents.</param>
    /// <param name="Next">Where buyers go on to.</param>
    public sealed record Product(string Name, long Price, string Next);

    /// <param name="Token">Says which visitor buys.</param>
    public sealed record Order(string Number, Product Product, string Email, string Token, string Page)
    {
        public long Refunded { get; set; }
    }

    /// <param name="wexil">Where the script, the links and the hook are.</param>
    /// <param name="secret">What the hook is signed with, as it is now.</param>
    /// <param name="first">The first order's number. The till forgets its orders when it ends, and a number told before
    /// is no new sale.</param>
    public static async Task<Till> StartAsync(
        Uri wexil,
        Func<byte[]?> secret,
        TimeProvider time,
        Uri? address = null,
        int first = 1041
    )
    {
        var till = new Till(wexil.GetLeftPart(UriPartial.Authority), secret, time, first);
        var builder = WebApplication.CreateSlimBuilder();
        builder.Logging.SetMinimumLevel(LogLevel.Warning);
        builder.WebHost.UseUrls((address ?? SimulatorAddresses.Default.Till).GetLeftPart(UriPartial.Authority));
        till._app = builder.Build();
        till._app.MapGet("/order/{product}", (HttpContext http, string product) => till.ShowAsync(http, product, ""));
        till._app.MapPost("/order/{product}", till.PayAsync);
        till._app.MapGet("/orders", till.ListAsync);
        till._app.MapPost("/orders/{number}", till.RefundAsync);
        await till._app.StartAsync();
        return till;
    }

    public Uri Address => new(_app.Urls.Single());

    public async ValueTask DisposeAsync()
    {
        await _app.DisposeAsync();
        _client.Dispose();
    }

    private string Script => $"{_wexil}/wexil.js";

    private Task ShowAsync(HttpContext http, string product, string problem)
    {
        if (!Products.TryGetValue(product, out var wanted))
            return Results.NotFound().ExecuteAsync(http);
        // What the visitor came with goes along to the sale.
        string Carried(string name) =>
            (http.Request.HasFormContentType ? http.Request.Form[name] : http.Request.Query[name]).ToString();
        return DocumentRenderer.WriteAsync<TillOrder>(
            http,
            (nameof(TillOrder.Product), wanted.Name),
            (nameof(TillOrder.Price), wanted.Price),
            (nameof(TillOrder.Token), Carried("wx")),
            (nameof(TillOrder.Page), Carried("wx_page")),
            (nameof(TillOrder.Email), Carried("email")),
            (nameof(TillOrder.Problem), problem),
            (nameof(TillOrder.Script), Script)
        );
    }

    private async Task PayAsync(HttpContext http, string product)
    {
        var form = await http.Request.ReadFormAsync();
        var email = form["email"].ToString().Trim();
        var problem =
            !email.Contains('@', StringComparison.Ordinal) ? "An e-mail address has an @ in it."
            : form["card"] != "pays" ? "The card was refused. Nothing was paid."
            : null;
        if (problem is not null || !Products.TryGetValue(product, out var wanted))
        {
            await ShowAsync(http, product, problem ?? "");
            return;
        }
        var order = new Order(
            $"L-{Interlocked.Increment(ref _last).ToString(CultureInfo.InvariantCulture)}",
            wanted,
            email,
            form["wx"].ToString(),
            form["wx_page"].ToString()
        );
        _orders[order.Number] = order;
        await TellAsync(
            new
            {
                type = "sale",
                order = order.Number,
                amount = Currency.Default.Write(wanted.Price),
                currency = Currency.Default.Code,
                product = wanted.Name,
                email,
                wx = order.Token,
                page = order.Page,
            }
        );
        http.Response.Redirect($"{_wexil}/go/{wanted.Next}");
    }

    private Task ListAsync(HttpContext http) =>
        DocumentRenderer.WriteAsync<TillOrders>(
            http,
            (nameof(TillOrders.Orders), _orders.Values.OrderByDescending(order => order.Number)),
            (nameof(TillOrders.Script), Script)
        );

    private async Task<IResult> RefundAsync(HttpContext http, string number)
    {
        if (!_orders.TryGetValue(number, out var order))
            return Results.NotFound();
        var form = await http.Request.ReadFormAsync();
        var left = order.Product.Price - order.Refunded;
        var amount = form["part"] == "half" ? Math.Min(left, order.Product.Price / 2) : left;
        if (amount > 0)
        {
            order.Refunded += amount;
            await TellAsync(
                new
                {
                    type = "refund",
                    order = number,
                    refund = $"R-{order.Refunded}",
                    amount = Currency.Default.Write(amount),
                    currency = Currency.Default.Code,
                }
            );
        }
        return Results.Redirect("/orders");
    }

    /// <summary>Tells Wexil, and again where it was not heard.</summary>
    private async Task TellAsync(object message)
    {
        if (_secret() is not { } secret)
            return;
        var body = JsonSerializer.SerializeToUtf8Bytes(message);
        for (var attempt = 0; attempt < 3; attempt++)
        {
            var timestamp = _time.GetUtcNow().ToUnixTimeSeconds().ToString(CultureInfo.InvariantCulture);
            using var request = new HttpRequestMessage(HttpMethod.Post, _wexil + "/hooks/sale")
            {
                Content = new ByteArrayContent(body),
            };
            request.Headers.Add(HookSignature.TimestampHeader, timestamp);
            request.Headers.Add(HookSignature.SignatureHeader, HookSignature.Compute(secret, timestamp, body));
            try
            {
                using var answer = await _client.SendAsync(request);
                if ((int)answer.StatusCode < 500)
                    return;
            }
            catch (HttpRequestException)
            {
                // Not there just now.
            }
            await Task.Delay(TimeSpan.FromMilliseconds(200 << attempt));
        }
    }
}
