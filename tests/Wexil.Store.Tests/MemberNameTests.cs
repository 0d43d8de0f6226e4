using Wexil.Store.Team;

namespace Wexil.Store.Tests;

/// <summary>Two people are not to be told apart by what nobody sees.</summary>
[Trait("For", "security")]
public sealed class MemberNameTests
{
    [Theory]
    [InlineData("ann lee")]
    [InlineData("ANN  LEE")]
    [InlineData("  Ann\u00a0Lee ")]
    public async Task A_name_is_the_same_with_other_spaces_and_capitals(string typed)
    {
        using var world = new World();
        var team = new TeamStore(world.Database, world.Journal, world.Time);
        await team.RenameAsync(MemberId.First, " Ann   Lee ");
        Assert.Equal("Ann Lee", team.Owner.Name);
        Assert.Equal(MemberId.First, team.Find(typed)!.Id);
        Assert.Null(team.Find("Ann Le"));
    }
}
