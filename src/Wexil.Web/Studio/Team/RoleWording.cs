using Wexil.Store.Team;

namespace Wexil.Web.Studio.Team;

/// <summary>What roles are called, and what each may do.</summary>
public static class RoleWording
{
    /// <summary>Such as "Marketer".</summary>
    public static string Of(Role role) =>
        role switch
        {
            Role.Owner => "Owner",
            Role.Marketer => "Marketer",
            _ => "Viewer",
        };

    /// <summary>Such as "a marketer".</summary>
    public static string WithArticle(Role role) => (role == Role.Owner ? "an " : "a ") + Of(role).ToLowerInvariant();

    /// <summary>What somebody of the role does, as a sentence.</summary>
    public static string Does(Role role) =>
        role switch
        {
            Role.Owner => "Does everything, also changes settings and invites others.",
            Role.Marketer => "Does everything except change settings and invite others.",
            _ => "Looks at pages, tests, sales and people, and changes nothing.",
        };

    /// <summary>What somebody of the role may do, to go on after "you".</summary>
    public static string May(Role role) =>
        role switch
        {
            Role.Owner => "you can do everything, also change settings and invite others",
            Role.Marketer => "you can do everything except change settings and invite others",
            _ => "you can look at pages, tests, sales and people, and change nothing",
        };
}
