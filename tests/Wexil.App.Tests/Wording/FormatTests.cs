using Wexil.App.Wording;
using Wexil.Core.Statistics;

namespace Wexil.App.Tests.Wording;

public sealed class FormatTests
{
    [Theory]
    [InlineData(0.26789, "26.8%")]
    [InlineData(0.00123, "0.12%")]
    [InlineData(0, "0.0%")]
    [InlineData(1, "100.0%")]
    public void A_rate_has_the_digits_that_it_needs(double share, string shown) =>
        Assert.Equal(shown, Format.Percent(share));

    [Theory]
    [InlineData(0.125, "+12.5%")]
    [InlineData(-0.03, "−3.0%")]
    [InlineData(0.0001, "±0%")]
    [InlineData(12.4, "+1,240%")]
    public void A_lift_has_its_sign(double share, string shown) => Assert.Equal(shown, Format.Lift(share));

    [Fact]
    public void Large_numbers_are_grouped_and_one_is_one()
    {
        Assert.Equal("12,345,678 visitors", Format.Count(12_345_678, "visitor", "visitors"));
        Assert.Equal("1 visitor", Format.Count(1, "visitor", "visitors"));
        Assert.Equal("−2.2 to +28.6", Format.LiftRange(new Interval(-0.0223, 0.2861)));
    }
}
