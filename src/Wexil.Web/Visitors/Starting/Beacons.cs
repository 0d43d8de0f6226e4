using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Visitors.Starting;

/// <summary>What an outside page tells once it is painted.</summary>
/// <param name="Known">The visitor may have been here before.</param>
/// <param name="IsLate">We did not answer in time, so what stands in the page stayed.</param>
/// <param name="Promised">What the visitor was drawn for.</param>
public sealed record Beacon(Visit Visit, bool Known, bool IsLate, PageId? Promised);

/// <summary>
/// Lets outside pages say what they painted: the word that they are given with an answer, or <c>late</c> and the id.
/// </summary>
public sealed class Beacons(VisitService visits, VisitorToken tokens, Arrivals arrivals, IdentityStore identities)
{
    private const int MaxBodyBytes = 4096;

    /// <summary>What a page is to say once it has painted what its visitor was drawn for.</summary>
    /// <param name="word">For what: the endpoint's own.</param>
    /// <param name="drawn">A token from <see cref="Promise"/>.</param>
    /// <param name="query">That of the page.</param>
    public string Write(string word, VisitorId visitor, string drawn, string query, DateTimeOffset now) =>
        $"{word} {tokens.Issue(visitor, now)} {drawn} {query}";

    /// <summary>Keeps what a visitor was drawn for; empty for nothing.</summary>
    public string Promise(VisitorId visitor, RoutePage? drawn, DateTimeOffset now) =>
        drawn is null ? "" : tokens.IssuePage(visitor, drawn.Id, now);

    /// <summary>Reads what a page says; null where it says nothing that counts.</summary>
    public async Task<Beacon?> ReadAsync(HttpContext http, string word, RouteStep step, DateTimeOffset now)
    {
        var caller = RequestClassification.From(http, http.Routes());
        if (!caller.Counts || http.Request.ContentLength is null or > MaxBodyBytes)
            return null;
        using var reader = new StreamReader(http.Request.Body);
        var words = (await reader.ReadToEndAsync(http.RequestAborted)).Split(' ', 4);
        // The traits are those of the page's own address, not of the request.
        Visit VisitOf(VisitorId visitor, bool known, string query) =>
            arrivals.Read(http, http.Routes(), step, visitor, known, caller.Device, query, now);
        if (words is ["late", var id, ..])
        {
            var known = VisitorId.TryParse(id, out var elsewhere);
            var late = known ? identities.Resolve(elsewhere) : visits.NewVisitor(now);
            return new(VisitOf(late, known, ""), known, IsLate: true, Promised: null);
        }
        if (words.Length < 3 || words[0] != word || tokens.Read(words[1], now) is not { } visitor)
            return null;
        return new(
            VisitOf(visitor, known: true, words.Length > 3 ? words[3] : ""),
            Known: true,
            IsLate: false,
            tokens.ReadPage(words[2], visitor, now)
        );
    }
}
