using System.Collections.Concurrent;
using System.Globalization;
using System.Text.Json;
using Wexil.Core.Common;
using Wexil.Core.Sales;

namespace Wexil.Demo.Simulators;

/// <summary>
/// A till that moves no money: an order page with test cards, which tells Wexil of sales and refunds as a payment
/// service does, by the signed hook. Simulated, and it says so on every page.
/// </summary>
public sealed class Till : IAsyncDisposable
{
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

    private sealed record Product(string Name, long Price, string Next);

    private sealed record Order(string Number, Product Product, string Email, string Token, string Page)
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
        till._app.MapGet("/order/{product}", (HttpContext http, string product) => till.Show(http, product, ""));
        till._app.MapPost("/order/{product}", till.PayAsync);
        till._app.MapGet("/orders", till.List);
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

    private IResult Show(HttpContext http, string product, string problem)
    {
        if (!Products.TryGetValue(product, out var wanted))
            return Results.NotFound();
        // What the visitor came with goes along to the sale.
        string Carried(string name) =>
            Html(http.Request.HasFormContentType ? http.Request.Form[name] : http.Request.Query[name]);
        return Page(
            $"Order: {wanted.Name}",
            $"""
            <h1>Your order</h1>
            <p>{Html(wanted.Name)}, {Currency.Default.Show(wanted.Price)}.</p>
            {(problem.Length > 0 ? $"<p class=\"problem\" role=\"alert\">{Html(problem)}</p>" : "")}
            <form method="post">
              <input type="hidden" name="wx" value="{Carried(
                "wx"
            )}"><input type="hidden" name="wx_page" value="{Carried("wx_page")}">
              <p><label>E-mail <input type="email" name="email" required value="{Carried("email")}"></label></p>
              <fieldset><legend>Test card</legend>
                <p><label><input type="radio" name="card" value="pays" checked> The green card, which pays</label></p>
                <p><label><input type="radio" name="card" value="fails"> The red card, which is refused</label></p>
              </fieldset>
              <p><button>Pay {Currency.Default.Show(wanted.Price)}</button></p>
            </form>
            """
        );
    }

    private async Task<IResult> PayAsync(HttpContext http, string product)
    {
        if (!Products.TryGetValue(product, out var wanted))
            return Results.NotFound();
        var form = await http.Request.ReadFormAsync();
        var email = form["email"].ToString().Trim();
        if (!email.Contains('@', StringComparison.Ordinal))
            return Show(http, product, "An e-mail address has an @ in it.");
        if (form["card"] != "pays")
            return Show(http, product, "The card was refused. Nothing was paid.");
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
        return Results.Redirect($"{_wexil}/go/{wanted.Next}");
    }

    private IResult List()
    {
        var rows = _orders
            .Values.OrderByDescending(order => order.Number)
            .Select(order =>
                (string[])
                    [
                        order.Number,
                        Html(order.Product.Name),
                        Currency.Default.Show(order.Product.Price),
                        Currency.Default.Show(order.Refunded),
                        $"""
                            <form method="post" action="/orders/{order.Number}">
                            <button name="part" value="all">All of {order.Number}</button>
                            <button name="part" value="half">Half of {order.Number}</button>
                            </form>
                            """,
                    ]
            );
        string[] heads = ["Order", "Product", "Paid", "Went back", "Refund"];
        return Page("Orders", $"<h1>Orders</h1>{SimulatedPage.Table(heads, rows)}");
    }

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

    private IResult Page(string title, string body) =>
        SimulatedPage.Show(
            title,
            "Simulated till of the demo: no money moves, and no card is read.",
            body,
            $"""<script src="{_wexil}/wexil.js" defer></script>"""
        );

    private static string Html(string? text) => SimulatedPage.Html(text);
}
