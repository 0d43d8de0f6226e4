using CsCheck;
using Wexil.Core.Results;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;

namespace Wexil.Core.Tests.Results;

/// <summary>When visitors look like one hand's.</summary>
public sealed class CrowdCheckTests
{
    [Theory]
    [InlineData(100, 900, true)]
    [InlineData(99, 891, false)] // too few
    [InlineData(100, 901, false)] // less than a tenth
    [InlineData(100, 0, true)] // everybody
    public void A_network_is_told_of_from_a_hundred_visitors_and_a_tenth_of_all(long own, long others, bool isTold)
    {
        var found = CrowdCheck.Find([
            Network(1, own, 10),
            Network(2, others / 2, 9),
            Network(3, others - others / 2, 9),
        ]);
        var named = found.Where(crowd => crowd.Crowd.Number == 1).ToArray();
        Assert.Equal(isTold, named.Length == 1);
        if (isTold)
            Assert.Equal((double)own / (own + others), named[0].Share, 12);
    }

    [Theory]
    [InlineData(1000, 100, 1000, 100, false)] // half of all have it, and convert alike
    [InlineData(1000, 25, 1000, 100, true)] // a quarter as often
    [InlineData(1000, 26, 1000, 100, false)]
    [InlineData(1000, 400, 1000, 100, true)] // four times as often
    [InlineData(1000, 399, 1000, 100, false)]
    [InlineData(1000, 0, 1000, 20, true)] // never
    [InlineData(200, 0, 1000, 20, false)] // which may be chance
    [InlineData(1000, 0, 1000, 0, false)]
    public void A_browser_is_told_of_where_it_converts_quite_otherwise(
        long own,
        long conversions,
        long others,
        long theirs,
        bool isTold
    )
    {
        CrowdTally[] tallies =
        [
            new(CrowdKind.Agent, 7, new(own, conversions)),
            new(CrowdKind.Agent, 8, new(others, theirs)),
        ];
        Assert.Equal(isTold, CrowdCheck.Find(tallies).Any(crowd => crowd.Crowd.Number == 7));
    }

    [Fact]
    public void The_largest_is_told_first_and_each_kind_is_counted_by_itself()
    {
        var found = CrowdCheck.Find([
            Network(1, 200, 0),
            Network(2, 600, 60),
            new(CrowdKind.Agent, 3, new(90_000, 900)),
        ]);
        Assert.Equal([2, 1], found.Select(crowd => crowd.Crowd.Number));
        Assert.Equal([0.75, 0.25], found.Select(crowd => crowd.Share));
    }

    [Fact]
    public void Traits_and_notes_keep_the_crowd_beside_all_else() =>
        Gen.Select(
                Gen.Int[0, Crowd.Numbers],
                Gen.Int[0, Crowd.Numbers],
                Gen.Select(Gen.Enum<Device>(), Gen.Enum<DayOfWeek>(), Gen.Char['a', 'z'].Array[0, 20]),
                Gen.Long[-1, VisitorTraits.MaxSource]
            )
            .AlwaysHolds(
                (network, agent, visit, source) =>
                {
                    var (device, day, tag) = visit;
                    var note = new VisitNote(device, "GB", "en", true, ExclusionReason.Share, new(tag))
                    {
                        Crowd = new(network, agent),
                    };
                    Assert.Equal(note, VisitNote.Parse(note.ToString()));
                    var traits = VisitorTraits.From(note, source, day);
                    var rows = Enumerable.Range(0, traits.Rows).Select(traits.Row).ToDictionary();
                    Assert.True(traits.IsKnown);
                    Assert.Equal(source, traits.ValueOf(SegmentKind.Source));
                    Assert.Equal((long)day, traits.ValueOf(SegmentKind.Weekday));
                    Assert.Equal((long)device, traits.ValueOf(SegmentKind.Device));
                    Assert.Equal("GB", VisitorTraits.CountryOf(traits.ValueOf(SegmentKind.Country)));
                    Assert.Equal(network, rows.GetValueOrDefault((int)CrowdKind.Network));
                    Assert.Equal(agent, rows.GetValueOrDefault((int)CrowdKind.Agent));
                }
            );

    private static CrowdTally Network(int number, long visitors, long conversions) =>
        new(CrowdKind.Network, number, new(visitors, conversions));
}
