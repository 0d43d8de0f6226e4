using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App;
using Wexil.Store.Team;
using Wexil.Web.Studio.Account;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Studio.Team;

/// <summary>Who may sign in, and as what.</summary>
public sealed class TeamModel(
    TeamStore team,
    InvitationStore invitations,
    SessionStore store,
    Sessions sessions,
    StudioAddress studio
) : PageModel
{
    private const string LastOwner = "There has to be an owner: make somebody else one first.";

    public IReadOnlyList<Member> Members => team.All;

    public IReadOnlyList<Invitation> Invitations => invitations.Open();

    /// <summary>Who asks.</summary>
    public Member Self => sessions.MemberOf(HttpContext);

    [BindProperty]
    public Role Role { get; set; } = Role.Marketer;

    [BindProperty]
    [MaxLength(Member.MaxName, ErrorMessage = "At most 60 characters.")]
    public string? MeantFor { get; set; }

    /// <summary>The link of an invitation that was made just now; it is not shown again.</summary>
    public string? NewLink { get; private set; }

    [TempData]
    public string? Done { get; set; }

    [TempData]
    public string? Problem { get; set; }

    /// <summary>When somebody last asked for something; null where they are signed in nowhere.</summary>
    public DateTimeOffset? LastSeen(Member member) =>
        store.Open(member.Id) is { Count: > 0 } open ? open.Max(session => session.SeenAt) : null;

    /// <summary>Makes a link by which somebody joins.</summary>
    [Logged("Made an invitation")]
    public async Task<IActionResult> OnPostInviteAsync()
    {
        if (!Enum.IsDefined(Role))
            ModelState.AddModelError(nameof(Role), "Choose a role from the list.");
        if (!ModelState.IsValid)
            return Page();
        var name = MeantFor?.Trim() ?? "";
        NewLink = $"{studio.Origin}/join?key={await invitations.MakeAsync(Role, name)}";
        AuditTrail.Detail(HttpContext, $"{RoleWording.Of(Role)}{(name.Length > 0 ? $" for {name}" : "")}");
        ModelState.Clear();
        (MeantFor, Role) = (null, Role.Marketer);
        return Page();
    }

    /// <summary>A link opens nothing any more.</summary>
    [Logged("Withdrew an invitation")]
    public async Task<IActionResult> OnPostWithdrawAsync(string id)
    {
        if (Invitations.FirstOrDefault(one => one.Id == id) is not { } invitation)
            return Gone("That invitation is over already.");
        await invitations.WithdrawAsync(invitation);
        AuditTrail.Detail(HttpContext, invitation.MeantFor);
        Done = "The invitation is withdrawn.";
        return RedirectToPage();
    }

    /// <summary>Somebody may do more, or less.</summary>
    [Logged("Changed somebody's role")]
    public async Task<IActionResult> OnPostRoleAsync(long id, Role to)
    {
        if (team.Find(new MemberId(id)) is not { } member || !Enum.IsDefined(to))
            return Gone("That person is not here any more.");
        if (!await team.SetRoleAsync(member.Id, to))
            return Gone(LastOwner);
        AuditTrail.Detail(HttpContext, $"{member.Name}: {RoleWording.Of(member.Role)} → {RoleWording.Of(to)}");
        Done = $"{member.Name} is now {RoleWording.WithArticle(to)}.";
        return member.Id == Self.Id && to != Role.Owner ? Redirect("/") : RedirectToPage();
    }

    /// <summary>Somebody lost the telephone that makes their codes.</summary>
    [Logged("Turned somebody's two-step sign-in off")]
    public async Task<IActionResult> OnPostSecondStepAsync(long id)
    {
        if (team.Find(new MemberId(id)) is not { } member)
            return Gone("That person is not here any more.");
        await team.DropSecondStepAsync(member.Id);
        AuditTrail.Detail(HttpContext, member.Name);
        Done = $"{member.Name} signs in by the password alone, and can turn two-step sign-in on again.";
        return RedirectToPage();
    }

    /// <summary>Signs somebody out everywhere.</summary>
    [Logged("Signed somebody out everywhere")]
    public async Task<IActionResult> OnPostEndAsync(long id)
    {
        if (team.Find(new MemberId(id)) is not { } member)
            return Gone("That person is not here any more.");
        await sessions.EndAllAsync(member.Id);
        AuditTrail.Detail(HttpContext, member.Name);
        Done = $"{member.Name} is signed out everywhere.";
        return RedirectToPage();
    }

    /// <summary>Somebody may not sign in any more.</summary>
    [Logged("Removed somebody from the team")]
    public async Task<IActionResult> OnPostRemoveAsync(long id)
    {
        if (team.Find(new MemberId(id)) is not { } member)
            return Gone("That person is not here any more.");
        if (!await team.RemoveAsync(member.Id))
            return Gone(LastOwner);
        await sessions.EndAllAsync(member.Id);
        AuditTrail.Detail(HttpContext, member.Name);
        Done = $"{member.Name} cannot sign in any more.";
        return RedirectToPage();
    }

    /// <summary>Nothing was done, and why.</summary>
    private RedirectToPageResult Gone(string problem)
    {
        Problem = problem;
        return RedirectToPage();
    }
}
