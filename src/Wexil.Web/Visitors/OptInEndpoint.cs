using Wexil.App.Serving;
using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Pages.Serving;
using Wexil.Store;
using Wexil.Store.Recording;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Visitors;

/// <summary><c>POST /p/{page-slug}/opt-in</c>: the target of a hosted page's opt-in form.</summary>
public sealed class OptInEndpoint(
    VisitService visits,
    HeldOptInStore held,
    TroubleLog troubles,
    VisitorToken tokens,
    CallerLimits limits,
    TimeProvider time
) : IVisitorsEndpoint
{
    private static readonly TimeSpan HeldFor = TimeSpan.FromMinutes(10);
    private const int MaxFormBytes = 64 << 10;

    public void Map(IEndpointRouteBuilder routes) =>
        routes.MapPost("/p/{slug}/opt-in", http => limits.AllowOptIn(http) ? Answer(http) : Slow(http));

    private static Task Slow(HttpContext http) =>
        PlainPage.Write(
            http,
            StatusCodes.Status429TooManyRequests,
            "Too many people sign up from your network just now. Please wait a minute, go back and send the form "
                + "again: what you typed is still there."
        );

    private async Task Answer(HttpContext http)
    {
        if (http.Routes().Page(http.Part("slug")) is not { Outside: null } page)
        {
            await PlainPage.Write(http, StatusCodes.Status404NotFound, "Page not found.");
            return;
        }
        if (await BoundedBody.FormAsync(http, MaxFormBytes) is not { } form)
        {
            await PlainPage.Write(
                http,
                StatusCodes.Status400BadRequest,
                "This form could not be sent. Please go back and try again."
            );
            return;
        }
        var email = Email(form);
        if (!EmailAddress.IsValid(email))
        {
            await PlainPage.Write(
                http,
                StatusCodes.Status400BadRequest,
                "Please go back and check your e-mail address."
            );
            return;
        }
        await TakeAsync(http, page, new(email, Others(form, email)), IsProgram(form));
        http.Response.StatusCode = StatusCodes.Status303SeeOther;
        http.Response.Headers.Location = http.Routes().Step(page.Step)?.YesSlug is { } next
            ? $"/go/{next}"
            : ServedPages.Folder(page);
    }

    // The owner's own opt-in leads on, and makes no lead.
    private async Task TakeAsync(HttpContext http, RoutePage page, OptInNote note, bool isProgram)
    {
        var now = time.GetUtcNow();
        var caller = RequestClassification.From(http, http.Routes());
        VisitorId Visitor() => VisitorCookie.Identify(http, http.Routes(), visits, tokens, now).Visitor;
        if (isProgram && (caller.Counts || caller.LeftOut == NotCountedReason.Private))
        {
            // Kept for the owner to look at; what it reaches in the next minutes is a program's too, so that counts and
            // people agree.
            await HoldAsync(page, caller.Counts ? Visitor() : visits.NewVisitor(now), note, now);
            http.Response.Give(RequestClassification.HeldCookie, "1", HeldFor);
            caller = caller with { LeftOut = NotCountedReason.Robot };
        }
        // An address that somebody gives is taken in, though nothing else is kept of them.
        if (caller.LeftOut == NotCountedReason.Private)
            await visits.OptInAsync(page, visits.NewVisitor(now), note, now);
        if (caller.LeftOut is { } why)
            visits.LeaveOut(page.Step, page.Id, why, now);
        else if (caller.Counts)
            await visits.OptInAsync(page, Visitor(), note, now);
    }

    // The field that is named so, else the first that holds such a thing.
    private static string Email(IFormCollection form)
    {
        var fields = form.Where(field => field.Key != HostedHtml.TrapField)
            .Select(field => (field.Key, Value: field.Value.ToString().Trim()))
            .ToArray();
        foreach (var (name, value) in fields)
            if (name.Contains("email", StringComparison.OrdinalIgnoreCase))
                return value;
        return fields.Select(field => field.Value).FirstOrDefault(value => value.Contains('@')) ?? "";
    }

    /// <summary>What else was filled in, within bounds.</summary>
    private static Dictionary<string, string> Others(IFormCollection form, string email) =>
        form.Where(field =>
                field.Key != HostedHtml.TrapField
                && field.Key.Length is > 0 and <= 60
                && field.Value.ToString() is { Length: > 0 } value
                && value.Trim() != email
            )
            .Take(OptInNote.MaxFields)
            .ToDictionary(
                field => field.Key,
                field =>
                    field.Value.ToString() is { Length: > OptInNote.MaxFieldLength } value
                        ? value[..OptInNote.MaxFieldLength]
                        : field.Value.ToString()
            );

    /// <summary>
    /// A program fills in the field that people do not see. It is led on like everybody, so that it learns nothing.
    /// Being quick is no sign of one: browsers fill in forms by themselves.
    /// </summary>
    private static bool IsProgram(IFormCollection form) => form[HostedHtml.TrapField].ToString().Length > 0;

    /// <summary>
    /// Keeps what looks like a program's for the owner to look at. Where that cannot be written, it is taken in: an
    /// address is never lost.
    /// </summary>
    private async Task HoldAsync(RoutePage page, VisitorId visitor, OptInNote note, DateTimeOffset now)
    {
        try
        {
            await held.HoldAsync(page.Step, page.Id, visitor, note, now);
        }
        catch (StoreException error)
        {
            troubles.Say("An opt-in that looks like a program’s could not be kept apart, so it was taken in", error);
            await visits.OptInAsync(page, visitor, note, now);
        }
    }
}
