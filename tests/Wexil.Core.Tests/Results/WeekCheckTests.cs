using Wexil.Core.Results;
using Wexil.Core.Statistics;

namespace Wexil.Core.Tests.Results;

/// <summary>When a part of a week matters.</summary>
public sealed class WeekCheckTests
{
    [Theory]
    [InlineData(3, 4)]
    [InlineData(7, 0)]
    [InlineData(7.99, 0)] // give or take a day
    [InlineData(8, 6)]
    [InlineData(13.2, 1)]
    [InlineData(14, 0)]
    public void It_matters_until_full_weeks_have_passed(double days, int more)
    {
        var found = WeekCheck.Find(Days(monday: 120, others: 60), days);
        Assert.Equal(more, found?.More ?? 0);
        if (found is not null)
            Assert.Equal((DayOfWeek.Monday, 0.12), (found.Best.Day, found.Best.Arm.Rate));
    }

    [Theory]
    [InlineData(91, false)] // p = 0.014
    [InlineData(94, true)] // p = 0.005
    public void It_matters_where_weekdays_differ_by_more_than_chance(long monday, bool isTold) =>
        Assert.Equal(isTold, WeekCheck.Find(Days(monday, others: 58), 10) is not null);

    [Theory]
    [InlineData(9, false)]
    [InlineData(10, true)]
    public void A_weekday_with_hardly_a_conversion_is_not_compared(long sunday, bool isTold)
    {
        var days = Days(monday: 60, others: 60);
        days[DayOfWeek.Sunday] = new(1000, sunday);
        Assert.Equal(isTold, WeekCheck.Find(days, 10) is not null);
    }

    private static Dictionary<DayOfWeek, Arm> Days(long monday, long others) =>
        Enum.GetValues<DayOfWeek>()
            .ToDictionary(day => day, day => new Arm(1000, day == DayOfWeek.Monday ? monday : others));
}
