namespace Wexil.Web.Studio.Workbench;

/// <summary>Numbers that stand on a screen of the workbench and can be kept under a name.</summary>
/// <param name="Address">Where they stand, with all of them in it.</param>
/// <param name="Name">As typed so far.</param>
public sealed record NumbersToKeep(string Address, string Name = "")
{
    public static NumbersToKeep At(HttpRequest request) => new(request.Path + request.QueryString.Value);
}
