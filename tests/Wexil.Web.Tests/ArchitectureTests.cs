using NetArchTest.Rules;
using Wexil.Core.Visitors;
using Wexil.Web.Hosting;

namespace Wexil.Web.Tests;

/// <summary>
/// Who may know whom. What nobody may use (clocks, chance, culture, files in Core) the compiler refuses by
/// BannedSymbols.txt.
/// </summary>
public sealed class ArchitectureTests
{
    /// <summary>The folders of Core, from the lowest: each knows those before it, and none behind.</summary>
    private static readonly string[] CoreLayers =
    [
        "Common",
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
    ];

    public static TheoryData<string> Layers => [.. CoreLayers];

    [Theory]
    [MemberData(nameof(Layers))]
    public void A_folder_of_core_knows_only_those_below_it(string layer) =>
        Holds(
            Types.InAssembly(typeof(VisitorId).Assembly).That().ResideInNamespace($"Wexil.Core.{layer}"),
            [.. CoreLayers.SkipWhile(other => other != layer).Skip(1).Select(higher => $"Wexil.Core.{higher}")]
        );

    [Fact]
    public void Core_has_no_other_folders() =>
        Assert.Equal(
            CoreLayers.Order(),
            typeof(VisitorId)
                .Assembly.GetExportedTypes()
                .Select(type => type.Namespace!["Wexil.Core.".Length..])
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
    public void A_project_knows_only_those_below_it(string project, string other) =>
        Assert.DoesNotContain(System.Reflection.Assembly.Load(project).GetReferencedAssemblies(), reference =>
            reference.Name!.StartsWith(other, StringComparison.Ordinal)
        );

    [Theory]
    [InlineData("Studio", "Visitors")]
    [InlineData("Visitors", "Studio")]
    [InlineData("Shared", "Studio")]
    [InlineData("Shared", "Visitors")]
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
