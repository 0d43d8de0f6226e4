using NetArchTest.Rules;
using Wexil.Core.Splits;
using Wexil.Store;
using Wexil.Web.Hosting;

namespace Wexil.Web.Tests;

/// <summary>Who may know whom. What nobody may use (clocks, chance, culture, files in Core) the compiler refuses by BannedSymbols.txt.</summary>
public sealed class ArchitectureTests
{
    [Fact]
    public void Core_knows_nobody() => Holds(Types.InAssembly(typeof(Turn).Assembly).Should().NotHaveDependencyOnAny(
        "Wexil.Store", "Wexil.Web", "Microsoft.AspNetCore", "Microsoft.Data.Sqlite"));

    [Fact]
    public void Store_knows_core_alone() => Holds(Types.InAssembly(typeof(Database).Assembly).Should().NotHaveDependencyOnAny("Wexil.Web", "Microsoft.AspNetCore"));

    [Fact]
    public void Studio_and_the_visitors_side_do_not_know_each_other()
    {
        Holds(Types.InAssembly(typeof(WexilHost).Assembly).That().ResideInNamespace("Wexil.Web.Studio").Should().NotHaveDependencyOn("Wexil.Web.Visitors"));
        Holds(Types.InAssembly(typeof(WexilHost).Assembly).That().ResideInNamespace("Wexil.Web.Visitors").Should().NotHaveDependencyOn("Wexil.Web.Studio"));
        Holds(Types.InAssembly(typeof(WexilHost).Assembly).That().ResideInNamespace("Wexil.Web.Shared").Should().NotHaveDependencyOnAny("Wexil.Web.Studio", "Wexil.Web.Visitors"));
    }

    private static void Holds(ConditionList rule)
    {
        var result = rule.GetResult();
        Assert.True(result.IsSuccessful, string.Join(", ", result.FailingTypeNames ?? []));
    }
}
