using Wexil.Core.Pages;

namespace Wexil.Core.Tests.Common;

public sealed class CloneNameTests
{
    [Fact]
    public void A_clone_is_called_after_its_original_with_the_first_free_number()
    {
        Assert.Equal("Kit, copy 2", CloneName.Next("Kit", []));
        Assert.Equal("Kit, copy 4", CloneName.Next("Kit, copy 2", ["Kit, copy 2", "Kit, copy 3"]));
        Assert.True(CloneName.IsUsual("Kit, copy 2"));
        Assert.False(CloneName.IsUsual("Kit, copy"));
    }
}
