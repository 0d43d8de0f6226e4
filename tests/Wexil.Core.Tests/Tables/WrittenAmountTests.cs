using CsCheck;
using Wexil.Core.Common;
using Wexil.Core.Tables;

namespace Wexil.Core.Tests.Tables;

public sealed class WrittenAmountTests
{
    private static readonly Currency Eur = Currency.Find("EUR")!;

    [Theory]
    [InlineData("12.50", DecimalMark.Point, false)]
    [InlineData("12,50", DecimalMark.Comma, false)]
    [InlineData("1,204.50", DecimalMark.Point, false)]
    [InlineData("1.204,50 €", DecimalMark.Comma, false)]
    [InlineData("1,204,500", DecimalMark.Point, false)]
    [InlineData("1.204.500", DecimalMark.Comma, false)]
    [InlineData("1,204", null, true)]
    [InlineData("-€1.204", null, true)]
    [InlineData("0.125", DecimalMark.Point, false)]
    [InlineData("1204,125", DecimalMark.Comma, false)]
    [InlineData(",5", DecimalMark.Comma, false)]
    [InlineData("49", null, false)]
    [InlineData("free", null, false)]
    public void An_amount_tells_its_mark_only_where_the_other_is_none(
        string written,
        DecimalMark? mark,
        bool isAmbiguous
    ) => Assert.Equal((mark, isAmbiguous), (WrittenAmount.MarkOf(written), WrittenAmount.IsAmbiguous(written)));

    [Theory]
    [InlineData("1.204,50 €", DecimalMark.Comma, 120_450L)]
    [InlineData("EUR 1 204,50", DecimalMark.Comma, 120_450L)]
    [InlineData("1’204.50", DecimalMark.Point, 120_450L)]
    [InlineData("1,204", DecimalMark.Point, 120_400L)]
    [InlineData("1,20", DecimalMark.Comma, 120L)]
    [InlineData("1,20", DecimalMark.Point, null)]
    [InlineData("$49.00", DecimalMark.Point, null)]
    [InlineData("free", DecimalMark.Point, null)]
    public void An_amount_is_read_with_the_mark_of_its_file(string written, DecimalMark mark, long? amount) =>
        Assert.Equal(amount, Eur.Parse(WrittenAmount.Normalize(written, mark, Eur.Code, Eur.Sign)));

    [Fact]
    public void Every_amount_is_read_back_from_how_it_was_written() =>
        Gen.Select(Gen.Long[0, 100_000_000_000], Gen.Bool, Gen.Bool)
            .Sample(
                (amount, hasComma, isGrouped) =>
                {
                    var written = (amount / 100m).ToString(
                        isGrouped ? "N2" : "F2",
                        System.Globalization.CultureInfo.InvariantCulture
                    );
                    var mark = hasComma ? DecimalMark.Comma : DecimalMark.Point;
                    if (hasComma)
                        written = written.Replace(',', ' ').Replace('.', ',');
                    Assert.Equal(mark, WrittenAmount.MarkOf(written));
                    Assert.Equal(amount, Eur.Parse(WrittenAmount.Normalize(written, mark, "EUR", "€")));
                }
            );
}
