using Wexil.Core.Assignments;
using Wexil.Core.Common;

namespace Wexil.App.Serving;

/// <summary>
/// The versions of sections that an address asks for by their names, so that any combination can be tried. Nothing of
/// such a visit is counted.
/// </summary>
public static class ChosenVersions
{
    /// <summary>The parameter that holds the names, with commas between them.</summary>
    public const string Parameter = "wx_versions";

    /// <summary>Does an address ask for versions?</summary>
    public static bool AreIn(string query) => AddressQuery.Value(query, Parameter) is not null;

    /// <summary>
    /// The version of a section that an address asks for; where it asks for none, the one that everybody sees.
    /// </summary>
    public static RoutePage? Of(RouteTable routes, RouteStep section, string query) =>
        (AddressQuery.Value(query, Parameter) ?? "")
            .Split(',')
            .Select(routes.PageOrVersion)
            .FirstOrDefault(version => version?.Step == section.Id)
        ?? section.Page;
}
