using System.Reflection;
using NetArchTest.Rules;
using Wexil.Web.Hosting;

namespace Wexil.Web.Tests;

/// <summary>
/// Who may know whom. What nobody may use (clocks, chance, culture, files in Core) the compiler refuses by
/// BannedSymbols.txt.
/// </summary>
public sealed class ArchitectureTests
{
    /// <summary>The folders of a project, from the lowest: each knows those before it, and none behind.</summary>
    private static readonly Dictionary<string, string[]> Layers = new()
    {
        ["Wexil.Core"] =
        [
            "Common",
            "Tables",
            "Statistics",
            "Visitors",
            "Pages",
            "Funnels",
            "Goals",
            "Sales",
            "AdNetworks",
            "Targeting",
            "SplitTests",
            "Assignments",
            "Results",
            "Simulation",
        ],
        ["Wexil.App"] =
        [
            "Wording",
            "Background",
            "Backups",
            "Tickets",
            "Fetching",
            "Visits",
            "Serving",
            "Drafts",
            "Importing",
            "Setup",
            "Rehearsals",
            "Installation",
            "Results",
            "Outbox",
            "Retention",
            "Health",
            "Monitoring",
        ],
    };

    public static TheoryData<string, string> Folders
    {
        get
        {
            var folders = new TheoryData<string, string>();
            foreach (var (project, folder) in Layers.SelectMany(own => own.Value.Select(name => (own.Key, name))))
                folders.Add(project, folder);
            return folders;
        }
    }

    [Theory]
    [MemberData(nameof(Folders))]
    public void A_folder_knows_only_those_below_it(string project, string folder) =>
        Holds(
            Types.InAssembly(Assembly.Load(project)).That().ResideInNamespace($"{project}.{folder}"),
            [.. Layers[project].SkipWhile(other => other != folder).Skip(1).Select(higher => $"{project}.{higher}")]
        );

    [Theory]
    [InlineData("Wexil.Core")]
    [InlineData("Wexil.App")]
    public void A_layered_project_has_no_other_folders(string project) =>
        Assert.Equal(
            Layers[project].Order(),
            Assembly
                .Load(project)
                .GetExportedTypes()
                .Where(type => type.Namespace != project)
                .Select(type => type.Namespace![(project.Length + 1)..])
                .Distinct()
                .Order()
        );

    [Theory]
    [InlineData("Wexil.Core", "AngleSharp")]
    [InlineData("Wexil.Core", "Microsoft.AspNetCore")]
    [InlineData("Wexil.Core", "Microsoft.Data.Sqlite")]
    [InlineData("Wexil.Pages", "Wexil.Store")]
    [InlineData("Wexil.Pages", "Microsoft.AspNetCore")]
    [InlineData("Wexil.Store", "Wexil.Pages")]
    [InlineData("Wexil.Store", "Microsoft.AspNetCore")]
    [InlineData("Wexil.App", "Microsoft.AspNetCore")]
    [InlineData("Wexil.App", "Wexil.Web")]
    public void A_project_knows_only_those_below_it(string project, string other) =>
        Assert.DoesNotContain(Assembly.Load(project).GetReferencedAssemblies(), reference =>
            reference.Name!.StartsWith(other, StringComparison.Ordinal)
        );

    [Theory]
    [InlineData("Studio", "Visitors")]
    [InlineData("Visitors", "Studio")]
    public void Studio_and_the_visitors_side_do_not_know_each_other(string one, string other) =>
        Holds(
            Types.InAssembly(typeof(WexilHost).Assembly).That().ResideInNamespace($"Wexil.Web.{one}"),
            [$"Wexil.Web.{other}"]
        );

    private static void Holds(PredicateList types, string[] forbidden)
    {
        Assert.NotEmpty(types.GetTypes());
        if (forbidden.Length == 0)
            return;
        var result = types.Should().NotHaveDependencyOnAny(forbidden).GetResult();
        Assert.True(result.IsSuccessful, string.Join(", ", result.FailingTypeNames ?? []));
    }
}
