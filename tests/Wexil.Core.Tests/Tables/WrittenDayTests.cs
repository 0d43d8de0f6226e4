using CsCheck;
using Wexil.Core.Tables;

namespace Wexil.Core.Tests.Tables;

public sealed class WrittenDayTests
{
    [Theory]
    [InlineData("31/12/2026", DayOrder.DayFirst, false)]
    [InlineData("12/31/2026", DayOrder.MonthFirst, false)]
    [InlineData("12-13-26 14:22", DayOrder.MonthFirst, false)]
    [InlineData("3.4.2026", DayOrder.DayFirst, false)]
    [InlineData("03/04/2026", null, true)]
    [InlineData("03/04/2026 2:22 PM", null, true)]
    [InlineData("12/12/2026", null, false)]
    [InlineData("13/13/2026", null, false)]
    [InlineData("03/04-2026", null, false)]
    [InlineData("2026-03-04", null, false)]
    [InlineData("9 Nov 2026", null, false)]
    [InlineData("", null, false)]
    public void A_day_tells_its_order_only_where_the_other_is_none(string written, DayOrder? order, bool isAmbiguous) =>
        Assert.Equal((order, isAmbiguous), (WrittenDay.OrderOf(written), WrittenDay.IsAmbiguous(written)));

    [Theory]
    [InlineData("03/04/2026", DayOrder.DayFirst, "2026-04-03")]
    [InlineData("03/04/2026", DayOrder.MonthFirst, "2026-03-04")]
    [InlineData("3-4-26 2:22 PM", DayOrder.MonthFirst, "2026-03-04 14:22:00")]
    [InlineData("29/2/2026", DayOrder.DayFirst, "29/2/2026")]
    [InlineData("9 Nov 2026, 8:05:09", DayOrder.DayFirst, "2026-11-09 08:05:09")]
    [InlineData("Nov 9, 2026 12:00 am", DayOrder.DayFirst, "2026-11-09 00:00:00")]
    [InlineData("2026/11/09", DayOrder.DayFirst, "2026-11-09")]
    [InlineData("2026-11-09", DayOrder.MonthFirst, "2026-11-09")]
    [InlineData("2026-11-09T18:40:00Z", DayOrder.DayFirst, "2026-11-09T18:40:00Z")]
    [InlineData("03/04/2026 25:00", DayOrder.DayFirst, "03/04/2026 25:00")]
    [InlineData(" someday ", DayOrder.DayFirst, "someday")]
    public void A_day_is_read_in_the_order_of_its_file(string written, DayOrder order, string normal) =>
        Assert.Equal(normal, WrittenDay.Normalize(written, order));

    [Fact]
    public void Every_day_is_read_back_from_the_order_it_was_written_in() =>
        Gen.Select(Gen.Date[new(2000, 1, 1), new(2099, 12, 31)], Gen.Bool)
            .Sample(
                (day, isDayFirst) =>
                {
                    var (order, format) = isDayFirst
                        ? (DayOrder.DayFirst, "d/M/yyyy")
                        : (DayOrder.MonthFirst, "M/d/yyyy");
                    var written = day.ToString(format, System.Globalization.CultureInfo.InvariantCulture);
                    Assert.Equal($"{day:yyyy-MM-dd}", WrittenDay.Normalize(written, order));
                    Assert.True(WrittenDay.OrderOf(written) is not { } own || own == order);
                }
            );

    [Fact]
    public void No_text_is_an_error() =>
        Gen.String.Sample(text =>
        {
            _ = WrittenDay.IsAmbiguous(text);
            _ = WrittenDay.Normalize(text, DayOrder.DayFirst);
        });
}
