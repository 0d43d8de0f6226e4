using System.Security.Cryptography;
using Wexil.Store.Team;
using Wexil.Web.Hosting;
using Wexil.Web.Studio.Account;
using Wexil.Web.Studio.Team;

namespace Wexil.Demo;

/// <summary>Two made-up colleagues, whose passwords nobody knows.</summary>
internal static class DemoTeam
{
    private static readonly (string Name, Role Role, int DaysAgo)[] Colleagues =
    [
        ("Mira Halloran", Role.Marketer, 19),
        ("Tomas Brandt", Role.Viewer, 6),
    ];

    public static async Task JoinAsync(WexilHost host, DateTimeOffset now)
    {
        var (team, invitations, log, passwords) = (
            host.Services.GetRequiredService<TeamStore>(),
            host.Services.GetRequiredService<InvitationStore>(),
            host.Services.GetRequiredService<AuditLog>(),
            host.Services.GetRequiredService<Passwords>()
        );
        foreach (var (name, role, daysAgo) in Colleagues)
        {
            var invitation = invitations.Find(await invitations.MakeAsync(role, name))!;
            var password = passwords.Hash(Convert.ToHexString(RandomNumberGenerator.GetBytes(16)));
            await team.JoinAsync(invitation, name, password);
            var (at, subject) = (now.AddDays(-daysAgo), $"{RoleWording.Of(role)} for {name}");
            await log.AddAsync(new(at, team.Owner.Name, "Made an invitation", subject, "/team", "198.51.100.14"));
            var joined = $"Joined as {RoleWording.WithArticle(role)}";
            await log.AddAsync(new(at.AddMinutes(42), name, joined, "Firefox on Windows", "", "203.0.113.60"));
        }
    }
}
