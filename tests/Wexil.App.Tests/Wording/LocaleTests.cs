using CsCheck;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Statistics;

namespace Wexil.App.Tests.Wording;

/// <summary>Numbers, money, days and times as the language of the reader's browser writes them.</summary>
public sealed class LocaleTests
{
    private static readonly Currency Dollar = Currency.Find("USD")!,
        Franc = Currency.Find("CHF")!,
        Yen = Currency.Find("JPY")!;

    private static string Plain(string text) => text.Replace('\u00a0', ' ').Replace('\u202f', ' ').Replace('’', '\'');

    [Theory]
    [InlineData("en-US", "15,339", "26.8%", "−$1,204.50", "CHF 9.00", "Nov 9, 2026", "Nov 9", "6:40 PM")]
    [InlineData("en-GB", "15,339", "26.8%", "−$1,204.50", "CHF 9.00", "9 Nov 2026", "9 Nov", "18:40")]
    [InlineData("de-AT", "15 339", "26,8 %", "−$ 1 204,50", "CHF 9,00", "9. Nov 2026", "9. Nov", "18:40")]
    [InlineData("de", "15.339", "26,8 %", "−1.204,50 $", "9,00 CHF", "9. Nov 2026", "9. Nov", "18:40")]
    [InlineData("de-CH", "15'339", "26.8%", "−$ 1'204.50", "CHF 9.00", "9. Nov 2026", "9. Nov", "18:40")]
    [InlineData("fr", "15 339", "26,8 %", "−1 204,50 $", "9,00 CHF", "9 Nov 2026", "9 Nov", "18:40")]
    [InlineData("es", "15.339", "26,8 %", "−1204,50 $", "9,00 CHF", "9 Nov 2026", "9 Nov", "18:40")]
    [InlineData("ja-JP", "15,339", "26.8%", "−$1,204.50", "CHF 9.00", "2026年11月9日", "11月9日", "18:40")]
    [InlineData("xx", "15,339", "26.8%", "−$1,204.50", "CHF 9.00", "9 Nov 2026", "9 Nov", "18:40")]
    public async Task A_reader_sees_figures_as_at_home(
        string language,
        string count,
        string percent,
        string loss,
        string francs,
        string day,
        string shortDay,
        string time
    )
    {
        // What is said for one reader ends with the task.
        await Task.Run(() =>
        {
            Locale.Use([language]);
            Assert.Equal(count, Plain(Format.Count(15339)));
            Assert.Equal(percent, Plain(Format.Percent(0.268)));
            Assert.Equal(loss, Plain(Dollar.Show(-120450)));
            Assert.Equal(francs, Plain(Franc.Show(900)));
            Assert.Equal(day, Format.Day(new(2026, 11, 9)));
            Assert.Equal(shortDay, Locale.Current.DayOfThisYear(new(2026, 11, 9)));
            Assert.Equal(time, Plain(Locale.Current.Time(new(18, 40))));
        });
        Assert.Same(Locale.Default, Locale.Current);
    }

    [Fact]
    public void India_groups_by_hundreds_after_the_first_thousand()
    {
        Assert.Equal("12,34,567", Locale.Find(["en-IN"])!.Number(1234567, 0));
        Assert.Equal("$12,34,567.00", Locale.Find(["hi"])!.Money(Dollar, 123456700));
    }

    [Fact]
    public void The_first_language_that_is_known_counts_and_a_region_falls_back_on_its_language()
    {
        Assert.Same(Locale.Find(["de"]), Locale.Find(["xx", "de-XX", "fr"]));
        Assert.Same(Locale.Find(["zh-Hant"]), Locale.Find(["zh-TW"]));
        Assert.Same(Locale.Find(["de"]), Locale.Find(["DE"]));
        Assert.Null(Locale.Find([]));
        Assert.Null(Locale.Find(["", "-", "*"]));
        Gen.String.AlwaysHolds(text => Locale.Find([text]) is var found && (found is null || text.Length >= 2));
    }

    [Theory]
    [InlineData("de", "12,50", 1250)]
    [InlineData("de", "12.50", 1250)]
    [InlineData("de", "1.204", 120400)]
    [InlineData("de", "1.204,5", 120450)]
    [InlineData("de", "12.04,5", null)]
    [InlineData("de", "1,2,3", null)]
    [InlineData("fr", "1 204,50", 120450)]
    [InlineData("fr", "1 20,50", null)]
    [InlineData("en-US", "12,50", null)]
    [InlineData("en-US", "1,204.50", 120450)]
    [InlineData("xx", "12,50", null)]
    [InlineData("de", "", null)]
    [InlineData("de", "-12,50", null)]
    public void Money_is_taken_as_the_reader_types_it_and_never_guessed_at(string language, string typed, int? cents) =>
        Assert.Equal(cents, (Locale.Find([language]) ?? Locale.Default).ParseMoney(Dollar, typed));

    [Fact]
    public void What_a_form_is_filled_with_is_read_back_in_every_language() =>
        Gen.Select(Gen.Int[0, 4].Select(i => new[] { "de", "fr", "en", "es", "de-CH" }[i]), Gen.Long[0, 100_000_000_00])
            .AlwaysHolds(
                (language, cents) =>
                    Locale.Find([language])!.ParseMoney(Dollar, Dollar.Write(cents)) == cents
                    && Locale.Find([language])!.ParseMoney(Yen, Yen.Write(cents / 100)) == cents / 100
            );
}
