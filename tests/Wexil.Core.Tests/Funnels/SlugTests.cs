using CsCheck;
using Wexil.Core.Common;

namespace Wexil.Core.Tests.Funnels;

public sealed class SlugTests
{
    [Theory]
    [InlineData("Winter light!", "winter-light")]
    [InlineData("  Größe & Préis 2 ", "groesse-preis-2")]
    [InlineData("春", "page")]
    public void A_name_gives_a_readable_slug(string name, string slug) => Assert.Equal(slug, Slug.From(name));

    [Fact]
    public void Every_name_gives_a_slug_that_can_be_used() =>
        Gen.String.AlwaysHolds(name =>
            Slug.Problem(Slug.From(name)) is null
            && Slug.Problem(Slug.Free(Slug.From(name), slug => slug == Slug.From(name))) is null
        );

    [Theory]
    [InlineData("")]
    [InlineData("Kit")]
    [InlineData("my kit")]
    [InlineData("-kit")]
    [InlineData("kit--two")]
    [InlineData("kit/two")]
    public void What_cannot_stand_in_a_link_is_refused(string slug) => Assert.NotNull(Slug.Problem(slug));
}
