using Wexil.Core.Common;

namespace Wexil.Core.Tests.Common;

/// <summary>What travels on to a page elsewhere.</summary>
public sealed class OutsideAddressTests
{
    [Theory]
    [InlineData(
        "https://a.example/kit?own=1#order",
        "?s=letter&wx=stale&q=a%20b&q=c",
        "https://a.example/kit?own=1&s=letter&q=a%20b&q=c&wx=T#order"
    )]
    [InlineData("https://a.example/kit", "", "https://a.example/kit?wx=T")]
    [InlineData(
        "https://a.example/kit?a=1",
        "?a=2&%77x=stale&wx%5Ftry=1&a=3&%C3%BC=%20",
        "https://a.example/kit?a=1&a=2&a=3&%C3%BC=%20&wx=T"
    )]
    [InlineData("https://a.example/", "?wx_page=9&&wx_test=1", "https://a.example/?wx=T")]
    public void Parameters_travel_on_after_the_pages_own(string page, string query, string expected) =>
        Assert.Equal(expected, new OutsideAddress(new Uri(page)).With(query, ("wx", "T")));
}
