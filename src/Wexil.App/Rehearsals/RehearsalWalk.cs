using System.Globalization;
using System.Text.Json;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Sales;
using Wexil.Core.Visitors;
using Wexil.Pages.Rehearsing;
using Wexil.Store;

namespace Wexil.App.Rehearsals;

/// <summary>What all visitors of a rehearsal have in common.</summary>
/// <param name="Steps">The funnel's, in order, without those archived.</param>
/// <param name="FillsInOrders">Fills in the checkout's own order form; otherwise the order is told by a message such as
/// the owner's payment service sends.</param>
/// <param name="HookSecret">Null while there is none.</param>
internal sealed record RehearsalPlan(
    IReadOnlyList<Step> Steps,
    VisitorsAddress Visitors,
    bool FillsInOrders,
    byte[]? HookSecret,
    HookMapping Mapping,
    Currency Currency
);

/// <summary>One rehearsal visitor on its way from the first link to where nothing leads on.</summary>
/// <param name="number">From 1; every third says no to an upsell.</param>
internal sealed class RehearsalWalk(
    RehearsalPlan plan,
    RehearsalBrowser browser,
    RouteTable routes,
    VisitorId visitor,
    int number,
    VisitorToken tokens,
    TimeProvider time
)
{
    private const int MaxPages = 20,
        SaysNo = 3;

    private Step? _step;

    /// <summary>Walks.</summary>
    /// <returns>Why it came no further; empty where it came to the end.</returns>
    public async Task<string> GoAsync(CancellationToken stop)
    {
        var shown = await browser.OpenAsync("Followed the link", Link(plan.Steps[0].Slug), stop);
        for (var pages = 0; pages < MaxPages; pages++)
        {
            if (shown.Problem is { } problem)
                return NotLive(shown.Address) ?? problem;
            _step = StepOf(shown.Address) ?? _step;
            var (next, end) = IsOurs(shown.Address)
                ? await LeaveOwnPageAsync(shown, stop)
                : await LeaveOutsidePageAsync(shown, stop);
            if (next is null)
                return end;
            shown = next;
        }
        return $"The visitor had seen {MaxPages} pages and was still led on.";
    }

    private string? NotLive(Uri address) =>
        StepOf(address) is { Page: null } step && routes.Step(step.Id) is { Test: null }
            ? $"“{step.Name}” is not live yet. Make it live on the Steps screen."
            : null;

    private async Task<(ShownPage? Next, string End)> LeaveOwnPageAsync(ShownPage shown, CancellationToken stop)
    {
        var ways = Ways(shown);
        if (ways.Form is { } form && IsOurs(form.Action))
            return (await browser.SendAsync("Sent the opt-in form", form, stop), "");
        if (ways.Form is { } foreign && ways.Buy is null)
        {
            await browser.NoteAsync("Did not send the form, which goes to another service", foreign.Action);
            return await GoOnAsync(stop);
        }
        if (ways.No is { } no && number % SaysNo == 0)
            return (await browser.OpenAsync("Said no", no, stop), "");
        if (ways.Buy is { } buy)
            return await OrderHereAsync(shown, stop) is { } problem
                ? (null, problem)
                : (await browser.OpenAsync("Pressed the buy button", buy, stop), "");
        if (ways.Next is { } next)
            return (await browser.OpenAsync("Followed the link to the next step", next, stop), "");
        if (IsEnd)
            return (null, "");
        var name = ways.Title.Length > 0 ? $"“{ways.Title}”" : shown.Address.AbsoluteUri;
        return (null, $"Nothing on {name} leads on: it has no opt-in form, no buy button and no link to another step.");
    }

    /// <summary>
    /// On a hosted page that orders are placed on, the order is told as well: no payment service stands behind it yet.
    /// </summary>
    /// <returns>What is wrong, in words; null where nothing is.</returns>
    private async Task<string?> OrderHereAsync(ShownPage shown, CancellationToken stop)
    {
        var isTill =
            _step?.Kind == StepKind.Checkout
            || (_step?.Kind == StepKind.Sales && plan.Steps.All(step => step.Kind != StepKind.Checkout));
        return isTill && !plan.FillsInOrders
            ? await TellOrderAsync(shown.Address, tokens.Issue(visitor, time.GetUtcNow()), stop)
            : null;
    }

    private async Task<(ShownPage? Next, string End)> LeaveOutsidePageAsync(ShownPage shown, CancellationToken stop)
    {
        var (ways, page) = (Ways(shown), PageAt(shown.Address));
        if (page is not null || ways.HasScript)
            await ReportAsync(shown.Address, ways, isExpected: page is not null, stop);
        if (page is null || _step?.Kind == StepKind.Checkout)
            return await OrderAsync(shown, ways, stop);
        if (ways.Buy is { } buy)
            return (await browser.OpenAsync("Pressed the buy button", buy, stop), "");
        if (ways.Next is { } next)
            return (await browser.OpenAsync("Followed the link to the next step", next, stop), "");
        if (ways.Form is { } form)
            await browser.NoteAsync("Did not send the form, which goes to another service", form.Action);
        return IsEnd ? (null, "") : await GoOnAsync(stop);
    }

    /// <summary>What the script on a page elsewhere does in a browser.</summary>
    private async Task ReportAsync(Uri address, WaysOn ways, bool isExpected, CancellationToken stop)
    {
        if (!ways.HasScript)
        {
            if (isExpected)
                await browser.NoteAsync(
                    "The tracking script is not on this page, so visits to it cannot be recorded",
                    address,
                    isProblem: true
                );
            return;
        }
        using var message = new StringContent(
            JsonSerializer.Serialize(new { page = address.AbsoluteUri, wx = Token(address) })
        );
        await browser.TellAsync("The tracking script reported the visit", Own("/reached"), message, stop);
    }

    private async Task<(ShownPage? Next, string End)> OrderAsync(ShownPage till, WaysOn ways, CancellationToken stop)
    {
        if (!plan.FillsInOrders)
            return await TellOrderAsync(till.Address, Token(till.Address), stop) is { } problem
                ? (null, problem)
                : await GoOnAsync(stop);
        if (ways.Form is not { } form)
            return (null, $"There is no order form at {till.Address.Host} that can be filled in without a browser.");
        var sent = await browser.SendAsync("Filled in the order form", form, stop);
        var stays = !IsOurs(sent.Address) && (StepOf(sent.Address) ?? _step) == _step;
        return sent.Problem is null && stays
            ? (null, $"After the order, {till.Address.Host} does not lead back to this funnel.")
            : (sent, "");
    }

    /// <summary>Tells of an order by the message that the owner's payment service sends.</summary>
    /// <param name="token">Tells the visitor; null where the checkout was not given it.</param>
    /// <returns>What is wrong, in words; null where it was taken.</returns>
    private async Task<string?> TellOrderAsync(Uri till, string? token, CancellationToken stop)
    {
        if (plan.HookSecret is not { } secret)
            return "Orders cannot be recorded yet: create a secret in Settings, under “Sales from a payment service”.";
        if (token is null)
            await browser.NoteAsync("The checkout’s address carries no wx parameter", till, isProblem: true);
        var now = time.GetUtcNow();
        var sale = new SaleNotice(
            SaleKind.Sale,
            $"rehearsal-{number}-{now.ToUnixTimeMilliseconds().ToString(CultureInfo.InvariantCulture)}",
            "",
            (long)plan.Currency.Unit,
            plan.Currency.Code,
            "Rehearsal order",
            RehearsalEmail.For(visitor),
            AddressQuery.Value(till.Query, "wx_page") ?? ""
        );
        var body = JsonSerializer.SerializeToUtf8Bytes(plan.Mapping.WriteSale(sale, token ?? ""));
        var timestamp = now.ToUnixTimeSeconds().ToString(CultureInfo.InvariantCulture);
        using var message = new ByteArrayContent(body);
        return await browser.TellAsync(
            "Sent the order message, as your payment service does",
            Own("/hooks/sale"),
            message,
            stop,
            [
                (plan.Mapping.SignatureHeader, HookSignature.Write(plan.Mapping, secret, timestamp, body)),
                .. plan.Mapping.TimestampHeader is { Length: > 0 } header ? new[] { (header, timestamp) } : [],
            ]
        );
    }

    /// <summary>Goes where the other service would send a buyer or a subscriber.</summary>
    private async Task<(ShownPage? Next, string End)> GoOnAsync(CancellationToken stop)
    {
        if (_step is null || FunnelPath.Yes(plan.Steps, _step) is not { } next)
            return (null, "");
        return (
            await browser.OpenAsync("Came back to the next step, where the service leads", Link(next.Slug), stop),
            ""
        );
    }

    private WaysOn Ways(ShownPage shown) =>
        WaysOn.Find(shown.Html, shown.Address, plan.Visitors.Address, RehearsalEmail.For(visitor));

    /// <summary>Nothing has to lead on from a thank-you page, nor from the last step.</summary>
    private bool IsEnd => _step is null || _step.Kind == StepKind.ThankYou || FunnelPath.Yes(plan.Steps, _step) is null;

    private RoutePage? PageAt(Uri address)
    {
        var funnel = plan.Steps[0].Funnel;
        return routes.OutsidePage(address, funnels => funnels.Contains(funnel) ? funnel : null);
    }

    private Step? StepOf(Uri address)
    {
        var parts = address.AbsolutePath.Split('/', StringSplitOptions.RemoveEmptyEntries);
        var id = !IsOurs(address)
            ? PageAt(address)?.Step
            : parts switch
            {
                ["go", var slug, ..] => routes.Step(slug)?.Id,
                ["p", var slug, ..] => routes.Page(slug)?.Step,
                _ => null,
            };
        return plan.Steps.FirstOrDefault(step => step.Id == id);
    }

    private string? Token(Uri address) =>
        AddressQuery.Value(address.Query, "wx") is { Length: > 0 } token ? token
        : plan.Mapping.PassThrough is { Length: > 0 } own ? AddressQuery.Value(address.Query, own)
        : null;

    private bool IsOurs(Uri address) => address.GetLeftPart(UriPartial.Authority) == plan.Visitors.Origin;

    private Uri Link(string slug) => new(plan.Visitors.Link(slug));

    private Uri Own(string path) => new(plan.Visitors.Origin + path);
}
