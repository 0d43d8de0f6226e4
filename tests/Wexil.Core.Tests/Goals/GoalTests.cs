using CsCheck;
using Wexil.Core.Common;
using Wexil.Core.Goals;
using Wexil.Core.Visitors;

namespace Wexil.Core.Tests.Goals;

public sealed class GoalTests
{
    [Theory]
    [InlineData(AddressMatch.Exact, "https://larkrow.example/thanks", "https://larkrow.example/thanks?order=7", true)]
    [InlineData(AddressMatch.Exact, "larkrow.example/thanks", "http://larkrow.example/thanks/", true)]
    [InlineData(AddressMatch.Exact, "/thanks", "https://other.example/thanks#end", true)]
    [InlineData(AddressMatch.Exact, "larkrow.example/thanks", "https://shop.larkrow.example/thanks", false)]
    [InlineData(AddressMatch.Exact, "/thanks?paid=1", "https://larkrow.example/thanks?paid=0", false)]
    [InlineData(AddressMatch.Exact, "LARKROW.example/thanks", "https://larkrow.example/thanks", true)]
    [InlineData(AddressMatch.Exact, "/Thanks", "https://larkrow.example/thanks", false)]
    [InlineData(AddressMatch.Exact, "larkrow.example", "https://larkrow.example/", true)]
    [InlineData(AddressMatch.Begins, "/shop/", "https://larkrow.example/shop/kit?x=1", true)]
    [InlineData(AddressMatch.Begins, "/shop/", "https://larkrow.example/workshop/", false)]
    [InlineData(AddressMatch.Pattern, "order=[0-9]+$", "https://larkrow.example/t?order=1041", true)]
    [InlineData(AddressMatch.Pattern, "^https://larkrow", "http://larkrow.example/", false)]
    [InlineData(AddressMatch.Begins, "/", "ftp://larkrow.example/", false)]
    public void An_address_meets_a_goal_as_its_owner_wrote_it_down(
        AddressMatch match,
        string text,
        string address,
        bool matches
    )
    {
        var pattern = new AddressPattern(match, text, IgnoresCase: false);
        Assert.Null(pattern.Problem());
        var (found, why) = pattern.Judge(address);
        Assert.Equal(matches, found);
        Assert.NotEmpty(why);
    }

    [Fact]
    public void Capitals_matter_only_where_the_owner_says_so_and_he_is_told_when_only_they_differ()
    {
        Assert.Equal(
            (false, "it differs only in upper and lower case"),
            new AddressPattern(AddressMatch.Exact, "/Thanks", false).Judge("https://a.example/thanks")
        );
        Assert.True(new AddressPattern(AddressMatch.Exact, "/Thanks", true).Judge("https://a.example/thanks").Matches);
        Assert.True(new AddressPattern(AddressMatch.Pattern, "THANKS", true).Judge("https://a.example/thanks").Matches);
    }

    [Theory]
    [InlineData("", "Enter the address")]
    [InlineData("(unclosed", "not a valid regular expression")]
    [InlineData(@"(\w)\1", "cannot be used")]
    [InlineData("(?=x)y", "cannot be used")]
    public void An_expression_that_is_none_or_could_take_for_ever_is_refused_in_words(string text, string problem) =>
        Assert.Contains(problem, new AddressPattern(AddressMatch.Pattern, text, false).Problem());

    [Fact]
    public void Whatever_address_is_pasted_it_is_judged() =>
        Gen.Select(Gen.String, Gen.Enum<AddressMatch>())
            .AlwaysHolds(
                (address, match) =>
                    new AddressPattern(match, "larkrow.example/(a+)+b", false)
                        .Judge("https://larkrow.example/" + address)
                        .Why.Length > 0
            );

    [Fact]
    public void A_goal_is_the_same_after_it_was_stored() =>
        Gen.Select(Gen.Enum<GoalKind>(), Gen.String[1, 20], Gen.Long[0, 10_000], Gen.Bool, Gen.Int[1, 365])
            .AlwaysHolds(
                (kind, name, value, flag, days) =>
                {
                    var goal = new Goal(kind, name)
                    {
                        Step = flag ? new StepId(3) : null,
                        Address = flag ? new(AddressMatch.Begins, "/x", true) : null,
                        Value = value,
                        EveryTime = flag,
                        WindowDays = flag ? days : null,
                        LessIsBetter = !flag,
                    };
                    var read = Goal.Parse(goal.ToJson());
                    Assert.Equal(
                        (
                            goal.Kind,
                            goal.Name,
                            goal.Step,
                            goal.Address?.Text,
                            goal.Value,
                            goal.EveryTime,
                            goal.WindowDays,
                            goal.LessIsBetter
                        ),
                        (
                            read.Kind,
                            read.Name,
                            read.Step,
                            read.Address?.Text,
                            read.Value,
                            read.EveryTime,
                            read.WindowDays,
                            read.LessIsBetter
                        )
                    );
                }
            );

    [Fact]
    public void The_traits_of_a_visit_come_out_of_one_number_as_they_went_in() =>
        Gen.Select(
                Gen.Enum<Device>(),
                Pick("", "US", "GB", "DE", "ZW"),
                Gen.Bool,
                Gen.Long[-1, VisitorTraits.MaxSource],
                Gen.Enum<DayOfWeek>()
            )
            .AlwaysHolds(
                (device, country, returning, source, day) =>
                {
                    var traits = VisitorTraits.From(new(device, country, "en", returning, null, ""), source, day);
                    Assert.Equal(
                        ((long)device, country, returning ? 1L : 0, source, (long)day),
                        (
                            traits.ValueOf(SegmentKind.Device),
                            VisitorTraits.CountryOf(traits.ValueOf(SegmentKind.Country)),
                            traits.ValueOf(SegmentKind.Returning),
                            traits.ValueOf(SegmentKind.Source),
                            traits.ValueOf(SegmentKind.Weekday)
                        )
                    );
                }
            );

    private static Gen<string> Pick(params string[] from) => Gen.Int[0, from.Length - 1].Select(i => from[i]);
}
