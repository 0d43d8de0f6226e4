using System.Globalization;
using Wexil.App.Tickets;
using Wexil.Store.Team;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Team;

namespace Wexil.Web.Studio.Account;

/// <summary>Tries passwords and codes, slowly where many are wrong, and signs in whoever knows them.</summary>
public sealed class SignInAttempts(
    Passwords passwords,
    SecondStep secondStep,
    SignInThrottle throttle,
    KnownDevices devices,
    Sessions sessions,
    TeamStore team,
    ITicketSeal seal,
    AuditTrail trail
)
{
    private const string Purpose = "password was right",
        Somebody = "somebody";
    private static readonly TimeSpan CodeTime = TimeSpan.FromMinutes(10);

    /// <summary>Tries a password.</summary>
    /// <param name="member">Null for a name that nobody has.</param>
    /// <param name="wrong">What to say of a wrong one.</param>
    /// <returns>Null for the right one.</returns>
    public Task<string?> ProblemWithPasswordAsync(HttpContext http, Member? member, string? password, string wrong) =>
        ProblemAsync(
            http,
            member,
            "password",
            isKnown => passwords.VerifyAsync(member, password ?? "", isKnown),
            wrong
        );

    /// <summary>Tries a code of the telephone, or a recovery code; the right one is used up.</summary>
    /// <inheritdoc cref="ProblemWithPasswordAsync"/>
    public Task<string?> ProblemWithCodeAsync(HttpContext http, Member member, string? code, string wrong) =>
        ProblemAsync(http, member, "code", _ => secondStep.UseAsync(member, code ?? ""), wrong);

    /// <summary>Says that somebody knew a member's password, for ten minutes.</summary>
    public string TicketFor(Member member) =>
        seal.Seal(Purpose, member.Id.Value.ToString(CultureInfo.InvariantCulture), CodeTime);

    /// <summary>Whose password was known; null where that is over or was never said.</summary>
    public Member? MemberOf(string? ticket) =>
        ticket is not null && seal.Open(Purpose, ticket) is { } id
            ? team.Find(new MemberId(long.Parse(id, CultureInfo.InvariantCulture)))
            : null;

    /// <summary>Signs a member in who knew all that is asked for.</summary>
    public async Task BeginAsync(HttpContext http, Member member)
    {
        await sessions.BeginAsync(http, member.Id, isByLink: false);
        await NoteAsync(http, member, "Signed in");
    }

    /// <summary>Signs the owner in by a link of the command line.</summary>
    public async Task BeginByLinkAsync(HttpContext http)
    {
        await sessions.BeginAsync(http, team.Owner.Id, isByLink: true);
        await NoteAsync(http, team.Owner, "Signed in by a link from the command line");
    }

    /// <summary>Signs somebody in who has just joined.</summary>
    public async Task JoinAsync(HttpContext http, Member member)
    {
        await sessions.BeginAsync(http, member.Id, isByLink: false);
        await NoteAsync(http, member, $"Joined as {RoleWording.WithArticle(member.Role)}");
    }

    private async Task<string?> ProblemAsync(
        HttpContext http,
        Member? member,
        string what,
        Func<bool, Task<bool>> isRight,
        string wrong
    )
    {
        var attempt = new SignInAttempt(
            http.Connection.RemoteIpAddress,
            member is null ? "" : $"{what} {member.Id.Value}",
            devices.KeyFor(http, member?.Id)
        );
        if (throttle.Begin(attempt) is { Ticks: > 0 } wait)
        {
            http.Response.StatusCode = StatusCodes.Status429TooManyRequests;
            http.Response.Headers.RetryAfter = Math.Ceiling(wait.TotalSeconds).ToString(CultureInfo.InvariantCulture);
            return SignInThrottle.Say(wait);
        }
        if (await isRight(attempt.Device is not null))
        {
            throttle.Succeed(attempt);
            return null;
        }
        await NoteAsync(http, member, member is null ? "Tried a name that nobody has" : $"Tried a wrong {what}");
        return wrong;
    }

    private Task NoteAsync(HttpContext http, Member? member, string deed) =>
        trail.NoteAsync(
            http,
            member?.Name ?? Somebody,
            deed,
            BrowserName.Of(http.Request.Headers.UserAgent.ToString()),
            link: ""
        );
}
