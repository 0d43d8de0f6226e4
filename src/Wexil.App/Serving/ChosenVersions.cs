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

    /// <summary>The versions that an address asks for; names that are none are passed over.</summary>
    public static IReadOnlyList<RoutePage> In(RouteTable routes, string query) =>
        AddressQuery.Value(query, Parameter) is { } names
            ? [.. names.Split(',').Select(routes.PageOrVersion).OfType<RoutePage>()]
            : [];

    /// <summary>The version of a section that is chosen; where none is, the one that everybody sees.</summary>
    public static RoutePage? Of(RouteStep section, IReadOnlyList<RoutePage> chosen) =>
        chosen.FirstOrDefault(version => version.Step == section.Id) ?? section.Page;
}
