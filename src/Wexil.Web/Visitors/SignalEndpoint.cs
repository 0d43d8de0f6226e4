using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Goals;
using Wexil.Core.Sales;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Visitors;

/// <summary>
/// <c>GET</c> or <c>POST /signal/{goal-key}</c>: a goal was met, as a picture on a page, the script, or a server tells.
/// From a browser it earns only the goal's own value; what a server says of value and order counts, with the server
/// key.
/// </summary>
public sealed class SignalEndpoint(
    VisitService visits,
    SaleStore sales,
    RateStore rates,
    SettingStore settings,
    SecretStore secrets,
    IdentityStore identities,
    VisitorToken tokens,
    CallerLimits limits,
    TimeProvider time
) : IVisitorsEndpoint
{
    private const int MaxBodyBytes = 8 << 10;
    private const string KeyHeader = "X-Wexil-Key",
        TooMany = "Too many signals at once. Send it again later.";
    private static readonly byte[] Pixel = Convert.FromBase64String(
        "R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7"
    );

    public void Map(IEndpointRouteBuilder routes) =>
        routes.MapMethods("/signal/{key}", ["GET", "POST"], http =>
            limits.AllowSignal(http) ? Answer(http) : Refuse(http, StatusCodes.Status429TooManyRequests, TooMany)
        );

    private async Task Answer(HttpContext http)
    {
        http.Response.Headers.AccessControlAllowOrigin = "*";
        http.Response.Headers.CacheControl = "no-store";
        if (http.Routes().Goal(http.Part("key")) is not { Goal.Kind: GoalKind.Signal or GoalKind.Click } goal)
        {
            await Refuse(
                http,
                StatusCodes.Status404NotFound,
                "There is no goal at this address, or its test has ended."
            );
            return;
        }
        if (await Fields(http) is not { } fields)
        {
            await Refuse(http, StatusCodes.Status400BadRequest, "The body must be a form or JSON of at most 8 KB.");
            return;
        }
        var given = http.Request.Headers[KeyHeader].ToString() is { Length: > 0 } header
            ? header
            : fields.GetValueOrDefault("key");
        var isServer = given is not null;
        if (
            isServer
            && !secrets.ServerKeys.Any(own =>
                CryptographicOperations.FixedTimeEquals(Encoding.UTF8.GetBytes(given!), Encoding.UTF8.GetBytes(own))
            )
        )
        {
            await Refuse(http, StatusCodes.Status403Forbidden, "Wrong server key.");
            return;
        }
        var now = time.GetUtcNow();
        if (isServer)
            await FromServer(http, goal, fields, now);
        else
            await FromBrowser(http, goal, fields, now);
    }

    private async Task FromBrowser(
        HttpContext http,
        RouteGoal goal,
        Dictionary<string, string> fields,
        DateTimeOffset now
    )
    {
        var visitor = VisitorCookie.Own(http)
            ?? Consent.VisitorOf(http, http.Routes(), tokens, now)
            ?? (
                VisitorId.TryParse(fields.GetValueOrDefault("visitor"), out var told)
                    ? identities.Resolve(told)
                    : tokens.Read(fields.GetValueOrDefault("wx"), now)
            );
        if (visitor is { } who && RequestClassification.From(http, http.Routes()).Counts)
            await visits.MeetAsync(goal, who, now);
        if (
            !HttpMethods.IsGet(http.Request.Method)
            || !http.Request.Headers.Accept.ToString().Contains("image/", StringComparison.Ordinal)
        )
        {
            http.Response.StatusCode = StatusCodes.Status204NoContent;
            return;
        }
        http.Response.ContentType = "image/gif";
        await http.Response.Body.WriteAsync(Pixel, http.RequestAborted);
    }

    private async Task FromServer(
        HttpContext http,
        RouteGoal goal,
        Dictionary<string, string> fields,
        DateTimeOffset now
    )
    {
        var visitor = tokens.ReadAnyAge(fields.GetValueOrDefault("wx"))
            ?? (
                VisitorId.TryParse(fields.GetValueOrDefault("visitor"), out var told) ? identities.Resolve(told) : null
            );
        var order = fields.GetValueOrDefault("order") ?? "";
        var currency = Currency.Find(
            (fields.GetValueOrDefault("currency") ?? settings.Currency.Code).ToUpperInvariant()
        );
        var (value, worth, wrong, problem) = Check(fields, order, currency, now);
        if (problem is not null)
        {
            await Refuse(http, StatusCodes.Status400BadRequest, problem, wrong);
            return;
        }
        var recorded = Recorded.Committed;
        if (order.Length > 0 && value > 0)
            recorded = await sales.RecordAsync(Sale(fields, order, value, currency!), visitor, null, now);
        // Told twice with the same order, it is met once.
        Guid? id = order.Length == 0 ? null : NameBasedId.From($"{goal.Key}\n{order}");
        if (recorded != Recorded.Lost && visitor is { } who)
            recorded = await visits.MeetAsync(goal, who, now, worth, id);
        if (recorded == Recorded.Lost)
            await Refuse(http, StatusCodes.Status503ServiceUnavailable, "Could not be saved. Try again later.");
        else
            await http.Response.WriteAsJsonAsync(new { goal = goal.Key, credited = visitor is not null });
    }

    /// <returns>
    /// The value, 0 for none, and what it is worth in the owner's currency; else the field that is wrong, and how.
    /// </returns>
    private (long Value, long Worth, string Field, string? Problem) Check(
        Dictionary<string, string> fields,
        string order,
        Currency? currency,
        DateTimeOffset now
    )
    {
        var (value, worth) = (0L, 0L);
        if (fields.GetValueOrDefault("value") is { Length: > 0 } written)
        {
            const string how =
                "The value must be an amount such as 39.00, with a currency of three letters such as USD.";
            if (currency?.Parse(written) is not { } amount)
                return (0, 0, currency is null ? "currency" : "value", how);
            if (rates.Worth(amount, currency, now) is not { } known)
                return (0, 0, "currency", NoRate(currency));
            (value, worth) = (amount, known);
        }
        return order.Length > SaleNotice.MaxNameLength
            ? (0, 0, "order", $"At most {SaleNotice.MaxNameLength} characters.")
            : (value, worth, "", null);
    }

    private string NoRate(Currency currency) =>
        $"There is no exchange rate from {currency.Code} to {settings.Currency.Code}. Add one in Settings, or send the "
        + $"value in {settings.Currency.Code}.";

    private static SaleNotice Sale(Dictionary<string, string> fields, string order, long value, Currency currency) =>
        new(
            SaleKind.Sale,
            order,
            fields.GetValueOrDefault("line") ?? "",
            value,
            currency.Code,
            fields.GetValueOrDefault("product") ?? "",
            fields.GetValueOrDefault("email") ?? "",
            Channel: SaleChannel.Signal
        );

    /// <summary>What is said, in the address, a form or JSON; null for what is neither, or too long.</summary>
    private static async Task<Dictionary<string, string>?> Fields(HttpContext http)
    {
        var fields = http.Request.Query.ToDictionary(
            field => field.Key,
            field => field.Value.ToString(),
            StringComparer.Ordinal
        );
        if (!HttpMethods.IsPost(http.Request.Method))
            return fields;
        if (http.Request.HasFormContentType)
        {
            if (await BoundedBody.FormAsync(http, MaxBodyBytes) is not { } form)
                return null;
            foreach (var field in form)
                fields[field.Key] = field.Value.ToString();
            return fields;
        }
        if (await BoundedBody.ReadAsync(http, MaxBodyBytes) is not { } body)
            return null;
        if (body.Length == 0)
            return fields;
        try
        {
            using var json = JsonDocument.Parse(body);
            if (json.RootElement.ValueKind != JsonValueKind.Object)
                return null;
            foreach (var field in json.RootElement.EnumerateObject())
                if (field.Value.ValueKind is JsonValueKind.String or JsonValueKind.Number)
                    fields[field.Name] = field.Value.ToString();
            return fields;
        }
        catch (Exception error) when (error is JsonException or InvalidOperationException)
        {
            return null;
        }
    }

    private static Task Refuse(HttpContext http, int status, string problem, string field = "")
    {
        http.Response.StatusCode = status;
        return http.Response.WriteAsJsonAsync(field.Length > 0 ? (object)new { field, problem } : new { problem });
    }
}
