using System.Globalization;
using System.Text;
using Wexil.App.Serving;
using Wexil.App.Tickets;
using Wexil.App.Visits;
using Wexil.App.Wording;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Web.Visitors.Callers;
using Wexil.Web.Visitors.Documents;

namespace Wexil.Web.Visitors;

/// <summary>Shows a link as the owner asked to see it, with the reason at the foot; nothing is recorded.</summary>
public sealed class TryAnswer(VisitService visits, HostedPages hosted, DateTimeOffset now)
{
    // The page's own scripts run, and fire nobody else's.
    private const string Policy =
        "script-src 'self' 'unsafe-inline'; connect-src 'self'; frame-src 'none'; img-src * data:";

    public async Task Answer(HttpContext http, RouteStep step, TryAs? setup)
    {
        if (setup is null || setup.Step != step.Id)
        {
            await PlainPage.Write(
                http,
                StatusCodes.Status404NotFound,
                "This preview has expired. Create a new one in Wexil."
            );
            return;
        }
        // Whatever is pressed on the page from now on is tried too.
        http.Response.Give(RequestClassification.TryCookie, "1", RequestClassification.Sitting);
        http.Response.Headers["X-Robots-Tag"] = "noindex";
        var query = http.Request.QueryString.Value ?? "";
        var visitor = visits.NewVisitor(now);
        var turn = visits.Peek(http.Routes(), step, new(visitor, now, setup.Traits, query), known: false);
        if (setup.Page is { } asked && Asked(step, asked) is { } chosen)
            turn = new(chosen, AssignmentKind.Plain, AssignmentReason.Shown);
        if (turn is not { } shown)
        {
            await PlainPage.Write(http, StatusCodes.Status404NotFound, "The step has no page to show yet.");
            return;
        }
        var words = setup.Page is null ? Why(step, shown, setup.Traits, query, visitor) : "You asked for this page.";
        await Show(http, shown.Page, Name(step, shown.Page), words);
    }

    private async Task Show(HttpContext http, RoutePage page, string name, string words)
    {
        if (page.Outside is { } outside)
        {
            await DocumentRenderer.WriteAsync<TriedOutside>(
                http,
                (nameof(TriedOutside.Address), outside.Address.AbsoluteUri),
                (nameof(TriedOutside.Page), name),
                (nameof(TriedOutside.Words), words)
            );
            return;
        }
        var foot = await DocumentRenderer.RenderAsync<TryFoot>(
            http,
            (nameof(TryFoot.Page), name),
            (nameof(TryFoot.Words), words)
        );
        http.Response.Headers.ContentSecurityPolicy = Policy;
        http.Response.ContentType = "text/html; charset=utf-8";
        await http.Response.WriteAsync(Encoding.UTF8.GetString(hosted.Page(http.Routes(), page).File.Content) + foot);
    }

    private static RoutePage? Asked(RouteStep step, PageId page) =>
        step.Test?.Pages.FirstOrDefault(known => known.Id == page) ?? (step.Page?.Id == page ? step.Page : null);

    private static string Why(RouteStep step, Assignment turn, Traits traits, string query, VisitorId visitor)
    {
        var test = step.Test;
        return turn.Reason switch
        {
            AssignmentReason.Tied =>
                $"Its source, {traits.Source}, always shows this page, so there was no random choice.",
            AssignmentReason.NotRunning => "The test is not running now, so everyone sees this page.",
            AssignmentReason.Audience => "Does not take part: "
                + $"{AudienceWording.Why(test!.Audience.Judge(traits, query), test.Audience, traits)}.",
            AssignmentReason.Share => $"{test!.Share}% of the visitors take part, and this one does not.",
            AssignmentReason.Affiliate =>
                "Sent by an affiliate: chosen from the pages open to affiliates, not counted.",
            AssignmentReason.Rotation => "It was this page’s turn.",
            AssignmentReason.Drawn => string.Create(
                CultureInfo.InvariantCulture,
                $"Chosen at random: the number was {HashBucket.Unit(visitor, test!.Id) * 100:0.0} of 100, and "
                    + $"{Ranges(test)}."
            ),
            _ => test is null
                ? "No test is running: everyone sees this page."
                : "The test has not started: everyone sees this page.",
        };
    }

    private static string Ranges(RouteTest test)
    {
        var from = 0;
        return string.Join(
            ", ",
            test.Weights.Percent.Select(
                    (weight, i) => (Letter: PageLetter.At(i), From: from, Until: from += weight, weight)
                )
                .Where(page => page.weight > 0)
                .Select(page => $"{page.Letter} has {page.From} to {page.Until}")
        );
    }

    /// <summary>The page's letter in the test, where it has one, and its name in the address.</summary>
    private static string Name(RouteStep step, RoutePage page)
    {
        var place = step.Test?.Pages.ToList().FindIndex(known => known.Id == page.Id) ?? -1;
        return place >= 0 ? $"{PageLetter.At(place)}: {page.Slug}" : page.Slug;
    }
}
