namespace Wexil.Store.Team;

/// <summary>What somebody who is signed in may do; each may do what those before it may.</summary>
public enum Role
{
    /// <summary>Looks at everything but settings, and changes nothing.</summary>
    Viewer,

    /// <summary>Builds pages, runs tests, takes in sales and leads.</summary>
    Marketer,

    /// <summary>Also sets Wexil up and says who else may sign in.</summary>
    Owner,
}

/// <summary>Names a member; never given twice.</summary>
public readonly record struct MemberId(long Value)
{
    /// <summary>The owner that every Wexil begins with.</summary>
    public static readonly MemberId First = new(1);
}

/// <summary>Somebody who may sign in.</summary>
/// <param name="Name">What they sign in by; no two share one, capitals or not.</param>
/// <param name="PasswordHash">Null until the owner has chosen a password.</param>
/// <param name="JoinedAt">Null for an owner from before there were others.</param>
/// <param name="CodeSecret">Sealed; what codes of their telephone are made from. Null without a second step.</param>
/// <param name="CodeStep">The time step of the last code that was used: none works twice.</param>
/// <param name="RecoveryCodes">How many of them are left.</param>
public sealed record Member(
    MemberId Id,
    string Name,
    Role Role,
    string? PasswordHash,
    DateTimeOffset? JoinedAt,
    string? CodeSecret,
    long CodeStep,
    int RecoveryCodes
)
{
    /// <summary>The longest name, in characters.</summary>
    public const int MaxName = 60;

    /// <summary>A password alone does not sign them in.</summary>
    public bool HasSecondStep => CodeSecret is not null;
}
