using System.Net.Mail;
using Wexil.App.Serving;
using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Visitors;
using Wexil.Pages.Serving;
using Wexil.Store;
using Wexil.Store.Recording;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Visitors;

/// <summary><c>/p/{page-slug}/…</c>: a hosted page by itself, its files, and the target of its opt-in form.</summary>
public static class PageEndpoints
{
    private static readonly TimeSpan HeldFor = TimeSpan.FromMinutes(10);
    private const int MaxFormBytes = 64 << 10;

    // Who tries a page sees its own scripts at work, and fires nobody else's.
    private const string Trying = "script-src 'self' 'unsafe-inline'; connect-src 'self'; frame-src 'none'";

    public static async Task Answer(
        HttpContext http,
        string slug,
        string? path,
        VisitService desk,
        HostedPages hosted,
        VisitorToken tokens,
        TimeProvider time
    )
    {
        if (http.Request.Headers.ContainsKey("Service-Worker"))
        {
            // A worker of one marketer's page would sit between visitors and every other page of this host.
            await PlainPage.Write(http, StatusCodes.Status403Forbidden, "Service workers are not allowed here.");
            return;
        }
        if (desk.Routes.Page(slug) is not { Outside: null } page)
        {
            await PlainPage.Write(http, StatusCodes.Status404NotFound, "There is no page at this address.");
            return;
        }
        if (string.IsNullOrEmpty(path))
        {
            if (!http.Request.Path.Value!.EndsWith('/'))
            {
                http.Response.StatusCode = StatusCodes.Status301MovedPermanently;
                http.Response.Headers.Location = ServedPages.Folder(page) + http.Request.QueryString;
                return;
            }
            var only = http.Request.Query["try"] == "1" || HttpMethods.IsHead(http.Request.Method);
            var caller = RequestClassification.Of(http, desk.Routes);
            var now = time.GetUtcNow();
            if (!only && caller.LeftOut is { } why)
                desk.LeaveOut(page.Step, page.Id, why, now);
            else if (!only && caller.Counts)
            {
                await desk.ReachAsync(page, VisitorCookie.Of(http, desk, tokens, now).Visitor, now);
            }
            var ready = hosted.Page(page);
            http.Response.Headers.Link = ready.Canonical;
            if (only || !page.IsIndexed)
                http.Response.Headers["X-Robots-Tag"] = "noindex";
            if (only)
                http.Response.Headers.ContentSecurityPolicy = Trying;
            await FileResponse.Write(http, ready.File, FileResponse.Caching.Never);
        }
        else if (hosted.File(page, path) is { } file)
            await FileResponse.Write(http, file, FileResponse.Caching.Revalidate);
        else
            await PlainPage.Write(http, StatusCodes.Status404NotFound, "This page has no such file.");
    }

    public static async Task OptIn(
        HttpContext http,
        string slug,
        VisitService desk,
        HeldOptInStore held,
        TroubleLog troubles,
        VisitorToken tokens,
        TimeProvider time
    )
    {
        if (desk.Routes.Page(slug) is not { Outside: null } page)
        {
            await PlainPage.Write(http, StatusCodes.Status404NotFound, "There is no page at this address.");
            return;
        }
        if (await BoundedBody.FormAsync(http, MaxFormBytes) is not { } form)
        {
            await PlainPage.Write(http, StatusCodes.Status400BadRequest, "This form cannot be taken in.");
            return;
        }
        var email = form.Where(field =>
                field.Key != HostedHtml.TrapField && field.Key.Contains("email", StringComparison.OrdinalIgnoreCase)
            )
            .Select(field => field.Value.ToString().Trim())
            .Append(
                form.Select(field => field.Value.ToString().Trim()).FirstOrDefault(value => value.Contains('@')) ?? ""
            )
            .First();
        if (
            email.Length > 254
            || !MailAddress.TryCreate(email, out var address)
            || address.Address != email
            || !address.Host.Contains('.')
        )
        {
            await PlainPage.Write(
                http,
                StatusCodes.Status400BadRequest,
                "This e-mail address cannot be right. Please go back and look at it once more."
            );
            return;
        }
        var now = time.GetUtcNow();
        // The owner's own opt-in leads on, and makes no lead.
        var caller = RequestClassification.Of(http, desk.Routes);
        if ((caller.Counts || caller.LeftOut == NotCountedReason.Private) && IsProgram(form))
        {
            // Kept for the owner to look at; what it reaches in the next minutes is a program's too, so that counts and
            // people agree.
            await HoldAsync(
                held,
                desk,
                troubles,
                page,
                caller.Counts ? VisitorCookie.Of(http, desk, tokens, now).Visitor : desk.NewVisitor(now),
                new(email, Others(form, email)),
                now
            );
            http.Response.Cookies.Append(
                RequestClassification.HeldCookie,
                "1",
                new()
                {
                    HttpOnly = true,
                    SameSite = SameSiteMode.Lax,
                    MaxAge = HeldFor,
                    Secure = http.Request.IsHttps,
                }
            );
            caller = caller with { LeftOut = NotCountedReason.Robot };
        }
        // An address that somebody gives is taken in, though nothing else is kept of them.
        if (caller.LeftOut == NotCountedReason.Private)
            await desk.OptInAsync(page, desk.NewVisitor(now), new(email, Others(form, email)), now);
        if (caller.LeftOut is { } why)
            desk.LeaveOut(page.Step, page.Id, why, now);
        else if (caller.Counts)
            await desk.OptInAsync(
                page,
                VisitorCookie.Of(http, desk, tokens, now).Visitor,
                new(email, Others(form, email)),
                now
            );
        http.Response.StatusCode = StatusCodes.Status303SeeOther;
        http.Response.Headers.Location = desk.Routes.Step(page.Step)?.YesSlug is { } next
            ? $"/go/{next}"
            : ServedPages.Folder(page);
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
    private static async Task HoldAsync(
        HeldOptInStore held,
        VisitService desk,
        TroubleLog troubles,
        RoutePage page,
        VisitorId visitor,
        OptInNote note,
        DateTimeOffset now
    )
    {
        try
        {
            await held.HoldAsync(page.Step, page.Id, visitor, note, now);
        }
        catch (StoreException error)
        {
            troubles.Say("An opt-in that looks like a program’s could not be kept apart, so it was taken in", error);
            await desk.OptInAsync(page, visitor, note, now);
        }
    }
}
