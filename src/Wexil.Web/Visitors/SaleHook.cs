using System.Text.Json;
using Wexil.Core.Sales;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Visitors;

/// <summary><c>POST /hooks/sale</c>: a payment service says that money came in, or went back.</summary>
public sealed class SaleHook(
    SaleStore sales,
    SettingStore settings,
    SecretStore secrets,
    VisitorToken tokens,
    CallerLimits limits,
    TimeProvider time
) : IVisitorsEndpoint
{
    private const int MaxBodyBytes = 64 << 10;

    public void Map(IEndpointRouteBuilder routes) =>
        routes.MapPost("/hooks/sale", http => limits.AllowSale(http) ? Answer(http) : Slow(http));

    private static Task Slow(HttpContext http) =>
        Refuse(http, StatusCodes.Status429TooManyRequests, "", "Too many messages at once. Send it again later.");

    private async Task Answer(HttpContext http)
    {
        http.Response.Headers.CacheControl = "no-store";
        var (now, mapping) = (time.GetUtcNow(), settings.HookMapping);
        if (await SignedBodyAsync(http, mapping, now) is not { } body)
            return;
        var (notice, field, problem, token) = Read(body, mapping);
        if (notice is null)
        {
            await Refuse(http, StatusCodes.Status400BadRequest, field, problem);
            return;
        }
        // A second refund that has no name of its own is another one; the same message sent again is not.
        if (notice is { Kind: SaleKind.Refund, Line: "" })
            notice = notice with { Line = ByItsSignature(http.Request.Headers[mapping.SignatureHeader].ToString()) };
        if (await InCurrencyOfOrderAsync(http, notice, now) is not { } fitting)
            return;
        notice = fitting;
        var recorded = await sales.RecordAsync(
            notice,
            tokens.ReadAnyAge(token),
            http.Routes().Page(notice.Page)?.Id,
            now
        );
        // A service tells again what was not taken.
        if (recorded == Recorded.Lost)
            await Refuse(http, StatusCodes.Status503ServiceUnavailable, "", "Could not be saved. Try again later.");
        else
            await http.Response.WriteAsJsonAsync(new { order = notice.Order });
    }

    /// <summary>Null where it was refused.</summary>
    private async Task<byte[]?> SignedBodyAsync(HttpContext http, HookMapping mapping, DateTimeOffset now)
    {
        if (secrets.HookSecrets is not { Count: > 0 } valid)
        {
            const string none = "No secret exists yet. Create one in Wexil’s settings.";
            await Refuse(http, StatusCodes.Status403Forbidden, "", none);
            return null;
        }
        if (await BoundedBody.ReadAsync(http, MaxBodyBytes) is not { } body)
        {
            await Refuse(http, StatusCodes.Status413PayloadTooLarge, "", "The body may be at most 64 KB.");
            return null;
        }
        var headers = http.Request.Headers;
        var timestamp = mapping.TimestampHeader.Length > 0 ? headers[mapping.TimestampHeader].ToString() : "";
        var signature = headers[mapping.SignatureHeader].ToString();
        if (HookSignature.Problem(mapping, valid, timestamp, signature, body, now) is { } unsigned)
        {
            await Refuse(http, StatusCodes.Status401Unauthorized, "", unsigned);
            return null;
        }
        return body;
    }

    private static string ByItsSignature(string signature) => $"signed {signature[..Math.Min(signature.Length, 40)]}";

    /// <summary>
    /// A refund in another currency than its order's joins the order by the owner's rates; without them it is refused.
    /// </summary>
    private async Task<SaleNotice?> InCurrencyOfOrderAsync(HttpContext http, SaleNotice notice, DateTimeOffset now)
    {
        if (
            sales.InCurrencyOfOrder(
                notice,
                DateOnly.FromDateTime(TimeZoneInfo.ConvertTime(now, settings.Zone).DateTime),
                settings.Currency
            ) is
            { } fitting
        )
            return fitting;
        await Refuse(
            http,
            StatusCodes.Status400BadRequest,
            "currency",
            "The order was in another currency, and there is no exchange rate between the two. Add one in "
                + "Settings, or send the refund in the order’s currency."
        );
        return null;
    }

    private static (SaleNotice? Notice, string Field, string Problem, string? Token) Read(
        byte[] body,
        HookMapping mapping
    )
    {
        try
        {
            using var json = JsonDocument.Parse(body);
            var (notice, field, problem) = SaleNotice.ReadJson(json.RootElement, mapping, SaleChannel.Hook);
            var token = notice is not null ? mapping.Field(json.RootElement, "wx") : null;
            return (notice, field, problem, token);
        }
        catch (Exception error) when (error is JsonException or InvalidOperationException)
        {
            return (null, "", "The body is not JSON.", null);
        }
    }

    private static Task Refuse(HttpContext http, int status, string field, string problem)
    {
        http.Response.StatusCode = status;
        return http.Response.WriteAsJsonAsync(field.Length > 0 ? (object)new { field, problem } : new { problem });
    }
}
