using CsCheck;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Core.Targeting;
using Wexil.Core.Tests.SplitTests;
using Wexil.Core.Visitors;

namespace Wexil.Core.Tests.Assignments;

/// <summary>Who sees what, whatever is set.</summary>
public sealed class RotationTests
{
    private static readonly DateTimeOffset Now = new(2026, 11, 9, 8, 0, 0, TimeSpan.Zero);

    private static readonly Gen<Weights> AnyWeights = WeightsTests.AnyWeights;

    private static readonly Gen<Audience> AnyAudience = Gen.Select(
        OneOf<Device[]>([], [Device.Phone], [Device.Phone, Device.Tablet]),
        OneOf(IncludeExcludeList.All, new(["DE", "AT"], true), new(["US"], false)),
        OneOf(VisitKind.Both, VisitKind.First, VisitKind.Return),
        OneOf(IncludeExcludeList.All, new(["letter"], false)),
        OneOf<AddressRule[]>(
            [],
            [new(false, "staff", RuleKind.Present)],
            [new(true, "ad", RuleKind.Matches, "^[0-9]+$")]
        ),
        (devices, countries, visits, sources, rules) =>
            new Audience(devices, countries, visits, sources, IncludeExcludeList.All, rules)
    );

    private static readonly Gen<Visit> AnyVisit = Gen.Select(
        Gen.Int,
        OneOf(Device.Desktop, Device.Tablet, Device.Phone),
        OneOf("", "DE", "US", "FR"),
        Gen.Bool,
        OneOf("", "letter", "tied"),
        Gen.Bool,
        OneOf("", "?staff=1", "?ad=12", "?ad=x&b=2"),
        (seed, device, country, returning, source, affiliate, query) =>
            new Visit(
                VisitorId.New(Now, new SeededChance(seed)),
                Now,
                new(device, country, "en", returning, source, affiliate),
                query
            )
    );

    private static readonly Gen<RouteStep> AnyStep = Gen.Select(
        AnyWeights,
        AnyAudience,
        Gen.Int[1, 100],
        OneOf(Allocation.Random, Allocation.Rotation),
        Gen.Int[0, 1],
        Gen.Bool,
        (weights, audience, share, turns, closed, tied) =>
            Step(
                weights,
                test =>
                    test with
                    {
                        Audience = audience,
                        Share = share,
                        Allocation = turns,
                        ClosedToAffiliates =
                            closed == 1 ? new HashSet<PageId> { test.Pages[1].Id } : new HashSet<PageId>(),
                    },
                tied
            )
    );

    [Fact]
    public void In_turn_no_page_ever_strays_from_its_share_by_one() =>
        Gen.Select(AnyWeights, Gen.ULong)
            .AlwaysHolds(
                (weights, seed) =>
                {
                    var had = new long[weights.Count];
                    var rotation = new Rotation(weights, seed);
                    for (var turn = 1; turn <= 400; turn++)
                    {
                        had[rotation.Next(had)]++;
                        for (var i = 0; i < had.Length; i++)
                            if (Math.Abs(had[i] - turn * weights[i] / 100.0) >= 1)
                                return false;
                    }
                    return true;
                }
            );

    [Fact]
    public void Two_tests_whose_pages_take_turns_do_not_go_in_step()
    {
        // The visitors of both come in one order; by turns that are set beforehand each pair but two would never be
        // seen.
        foreach (var weights in new[] { Weights.Create(50, 50), Weights.Create(60, 40), Weights.Create(34, 33, 33) })
        {
            const int visitors = 4000;
            var orders = new[] { 1ul, 2ul }
                .Select(seed => new Rotation(weights, seed).Upcoming(new long[weights.Count], visitors))
                .ToArray();
            for (var a = 0; a < weights.Count; a++)
            {
                for (var b = 0; b < weights.Count; b++)
                {
                    var seen = Enumerable
                        .Range(0, visitors)
                        .Count(visitor => orders[0][visitor] == a && orders[1][visitor] == b);
                    Assert.InRange(
                        seen / (double)visitors,
                        weights[a] * weights[b] / 10_000.0 - 0.035,
                        weights[a] * weights[b] / 10_000.0 + 0.035
                    );
                }
            }
        }
    }

    [Fact]
    public void After_a_start_turns_go_on_as_they_would_have()
    {
        long[] had = [31, 19, 12];
        var weights = Weights.Create(50, 30, 20);
        Assert.Equal(new Rotation(weights, 5).Upcoming(had, 40), new Rotation(weights, 5).Upcoming(had, 40));
        Assert.NotEqual(new Rotation(weights, 5).Upcoming(had, 40), new Rotation(weights, 6).Upcoming(had, 40));
    }

    [Fact]
    public void Turns_lost_on_the_way_right_themselves() =>
        Gen.Select(AnyWeights, Gen.Long[0, 6].Array[10])
            .AlwaysHolds(
                (weights, lost) =>
                {
                    var had = new long[weights.Count];
                    for (var i = 0; i < had.Length; i++)
                        had[i] = weights[i] == 0 ? 0 : lost[i];
                    var rotation = new Rotation(weights, 7);
                    for (var turn = 0; turn < 2000; turn++)
                        had[rotation.Next(had)]++;
                    var total = had.Sum();
                    return had.Select((count, i) => Math.Abs(count - total * weights[i] / 100.0))
                            .All(astray => astray < 1.000001) || weights.Percent.Any(weight => weight is > 0 and < 2);
                }
            );

    [Fact]
    public void Who_has_a_place_keeps_it_whatever_is_set_now() =>
        Gen.Select(AnyStep, AnyVisit, Gen.Int[0, 9])
            .AlwaysHolds(
                (step, visit, seat) =>
                {
                    var own = step.Test!.Pages[seat % step.Test.Pages.Count];
                    return Take(step, visit, new Enrolment(own.Id, step.Test.Phase))
                            is { Kind: AssignmentKind.Plain } turn
                        && turn.Page == own;
                }
            );

    [Fact]
    public void Whoever_is_shown_a_page_once_is_shown_it_again() =>
        Gen.Select(AnyStep, AnyVisit, AnyVisit)
            .AlwaysHolds(
                (step, first, then) =>
                {
                    var shown = Take(step, first, null)!.Value;
                    var again = Take(
                        step,
                        then with
                        {
                            Visitor = first.Visitor,
                        },
                        new Enrolment(shown.Page.Id, shown.Kind == AssignmentKind.Enrols ? step.Test!.Phase : null)
                    )!.Value;
                    return again.Page == shown.Page && again.Kind == AssignmentKind.Plain;
                }
            );

    [Fact]
    public void No_rule_leaks() =>
        Gen.Select(AnyStep, AnyVisit)
            .AlwaysHolds(
                (step, visit) =>
                {
                    var test = step.Test!;
                    var turn = Take(step, visit, null)!.Value;
                    if (turn.Kind != AssignmentKind.Enrols)
                        return turn.Exclusion is not null && turn.Exclusion != ExclusionReason.NotRunning;
                    return test.Audience.Judge(visit.Traits, visit.Query).TakesPart
                        && !step.Tied.ContainsKey(visit.Traits.Source)
                        && test.Weights[test.Pages.ToList().IndexOf(turn.Page)] > 0
                        && !(visit.Traits.IsAffiliate && test.ClosedToAffiliates.Count > 0)
                        && HashBucket.ShareUnit(visit.Visitor, test.Id) * 100 < test.Share;
                }
            );

    [Fact]
    public void Affiliates_never_see_a_page_closed_to_them() =>
        Gen.Select(AnyStep, AnyVisit)
            .AlwaysHolds(
                (step, visit) =>
                    !visit.Traits.IsAffiliate
                    || step.Tied.ContainsKey(visit.Traits.Source)
                    || !step.Test!.ClosedToAffiliates.Contains(Take(step, visit, null)!.Value.Page.Id)
                    || step.Test.Weights[1] == 100
            );

    [Fact]
    public void Share_and_weights_multiply()
    {
        var step = Step(Weights.Create(40, 40, 20), test => test with { Share = 30 });
        var chance = new SeededChance(3);
        var drawn = new long[4];
        for (var i = 0; i < 60_000; i++)
        {
            var turn = Take(step, new(VisitorId.New(Now, chance), Now, Traits.Unknown), null)!.Value;
            drawn[turn.Kind == AssignmentKind.Enrols ? step.Test!.Pages.ToList().IndexOf(turn.Page) : 3]++;
        }
        Assert.True(
            SampleRatioMismatch
                .Compute([
                    [(drawn[0], 12), (drawn[1], 12), (drawn[2], 6), (drawn[3], 70)],
                ])
                .P > 0.001,
            string.Join(' ', drawn)
        );
    }

    [Fact]
    public void The_page_that_was_promised_is_shown_unless_it_is_not_one_of_the_tests_or_gets_nobody_any_more()
    {
        var visitors = Enumerable
            .Range(0, 40)
            .Select(seed => new Visit(VisitorId.New(Now, new SeededChance(seed)), Now, Traits.Unknown))
            .ToArray();
        RouteStep At(params int[] weights) => Step(Weights.Create(weights), test => test);
        long Shown(RouteStep step, Visit visit, long promised) =>
            Assignment
                .Decide(step, visit, null, (_, _) => throw new InvalidOperationException(), new PageId(promised))!
                .Value.Page.Id.Value;
        Assert.All(visitors, visit => Assert.Equal(2, Shown(At(99, 1), visit, 2)));
        Assert.All(visitors, visit => Assert.Equal(1, Shown(At(100, 0), visit, 2)));
        Assert.Equal(2, visitors.Select(visit => Shown(At(50, 50), visit, 9)).Distinct().Count());
        // Where pages take turns, the promise is handed to the rotation.
        var asked = new List<int?>();
        NextInRotation next = (_, proposed) =>
        {
            asked.Add(proposed);
            return proposed ?? 0;
        };
        foreach (
            var (weights, promised) in new[]
            {
                (Weights.Create(99, 1), 2),
                (Weights.Create(100, 0), 2),
                (Weights.Create(50, 50), 9),
            }
        )
            Assignment.Decide(
                Step(weights, test => test with { Allocation = Allocation.Rotation }),
                visitors[0],
                null,
                next,
                new PageId(promised)
            );
        Assert.Equal([1, null, null], asked);
    }

    [Fact]
    public void Before_it_starts_while_it_is_paused_and_after_its_end_the_link_shows_the_steps_page()
    {
        var visit = new Visit(VisitorId.New(Now, new SeededChance(1)), Now, Traits.Unknown);
        RouteStep At(Func<RouteTest, RouteTest> change) => Step(Weights.Create(0, 100), change);
        Assert.Equal((1, AssignmentKind.Plain), Shown(At(test => test with { From = Now.AddSeconds(1) })));
        Assert.Equal(
            (2, AssignmentKind.Enrols),
            Shown(At(test => test with { From = Now, Until = Now.AddMilliseconds(1) }))
        );
        Assert.Equal((1, AssignmentKind.Apart), Shown(At(test => test with { Until = Now })));
        Assert.Equal((1, AssignmentKind.Apart), Shown(At(test => test with { Phase = null })));

        (long, AssignmentKind) Shown(RouteStep step) =>
            Take(step, visit, null) is { } turn ? (turn.Page.Id.Value, turn.Kind) : default;
    }

    [Fact]
    public void A_page_that_is_down_is_drawn_by_nobody_and_its_visitors_see_the_control()
    {
        var step = Step(Weights.Create(50, 30, 20).Without([1]), test =>
            test with
            {
                Resting = new HashSet<PageId> { new(2) },
            }
        );
        Assert.Equal("71/0/29", step.Test!.Weights.ToString());
        var visitor = VisitorId.New(Now, new SeededChance(1));
        var turn = Take(step, new(visitor, Now, Traits.Unknown), new Enrolment(new(2), new PhaseId(1)))!.Value;
        Assert.Equal(
            (1, AssignmentKind.Plain, AssignmentReason.OwnPageDown),
            (turn.Page.Id.Value, turn.Kind, turn.Reason)
        );
        AnyWeights.AlwaysHolds(weights =>
            weights.Without([0]).Percent.Sum() == 100 && (weights[0] == 100 || weights.Without([0])[0] == 0)
        );
    }

    [Theory]
    [InlineData("?a=1&b=x%20y", RuleKind.Present, "b", "", true)]
    [InlineData("?a=1&b=x%20y", RuleKind.EqualTo, "b", "X Y", true)]
    [InlineData("?b=1&b=two", RuleKind.Contains, "b", "w", true)]
    [InlineData("?b=1&b=two", RuleKind.Matches, "b", "^t.o$", true)]
    [InlineData("?bb=1", RuleKind.Present, "b", "", false)]
    [InlineData("", RuleKind.Contains, "b", "x", false)]
    public void Rules_read_the_address(string query, RuleKind kind, string parameter, string value, bool matches) =>
        Assert.Equal(matches, new AddressRule(true, parameter, kind, value).Matches(query));

    [Fact]
    public void A_pattern_that_would_take_forever_is_quick_or_refused()
    {
        Assert.Null(new AddressRule(true, "q", RuleKind.Matches, "(a+)+$").Problem());
        Assert.False(
            new AddressRule(true, "q", RuleKind.Matches, "(a+)+$").Matches("?q=" + new string('a', 5000) + "!")
        );
        Assert.NotNull(new AddressRule(true, "q", RuleKind.Matches, "(?=a)b").Problem());
        Assert.NotNull(new AddressRule(true, "q", RuleKind.Matches, "(").Problem());
    }

    [Fact]
    public void Who_takes_part_survives_being_stored_and_says_which_rule_leaves_somebody_out()
    {
        AnyAudience.AlwaysHolds(any => Audience.Parse(any.ToJson()).Equals(any));
        var staff = new AddressRule(false, "staff", RuleKind.EqualTo, "1");
        var audience = Audience.Everyone with { Countries = new(["DE", "AT"], true), Rules = [staff] };
        Assert.Equal(
            new Admission(AdmissionReason.RuleAgainst, staff),
            audience.Judge(new(Device.Phone, "US"), "?staff=1")
        );
        Assert.Equal(new Admission(AdmissionReason.Country), audience.Judge(new(Device.Phone, "DE"), ""));
        Assert.True(audience.Judge(new(Device.Phone, "US"), "").TakesPart);
    }

    [Fact]
    public void A_visits_note_survives_being_stored() =>
        AnyVisit.AlwaysHolds(visit =>
        {
            var note = VisitNote.From(visit.Traits, ExclusionReason.Tied);
            return VisitNote.Parse(note.ToString()) == note
                && VisitNote.Parse(VisitNote.From(visit.Traits).ToString()).Exclusion is null;
        });

    [Theory]
    [InlineData("2026-07-01T09:30", "2026-07-01T07:30:00Z")]
    [InlineData("2026-10-25T02:30", "2026-10-25T00:30:00Z")]
    [InlineData("2026-10-25", "2026-10-24T22:00:00Z")]
    public void Moments_are_read_by_the_owners_clock(string written, string moment) =>
        Assert.Equal(
            DateTimeOffset.Parse(moment, System.Globalization.CultureInfo.InvariantCulture),
            LocalMoment.Parse(written, Vienna).Moment
        );

    [Fact]
    public void An_hour_that_the_clocks_skip_is_no_moment()
    {
        Assert.Contains("02:30 does not exist", LocalMoment.Parse("2026-03-29T02:30", Vienna).Problem);
        Assert.NotNull(LocalMoment.Parse("tomorrow", Vienna).Problem);
        Assert.Equal((null, null), LocalMoment.Parse(" ", Vienna));
    }

    [Theory]
    [InlineData(
        "Mozilla/5.0 (iPhone; CPU iPhone OS 18_0 like Mac OS X) AppleWebKit/605.1.15 Mobile/15E148",
        Device.Phone
    )]
    [InlineData("Mozilla/5.0 (Linux; Android 15; Pixel 9) Chrome/140.0 Mobile Safari/537.36", Device.Phone)]
    [InlineData("Mozilla/5.0 (Linux; Android 15; SM-X910) Chrome/140.0 Safari/537.36", Device.Tablet)]
    [InlineData("Mozilla/5.0 (iPad; CPU OS 17_0 like Mac OS X) Mobile/15E148", Device.Tablet)]
    [InlineData("Mozilla/5.0 (Windows NT 10.0; Win64; x64) Chrome/140.0 Safari/537.36", Device.Desktop)]
    public void Devices_are_told_apart(string agent, Device device) => Assert.Equal(device, AgentRules.DeviceOf(agent));

    [Fact]
    public void A_source_is_a_short_tag_whatever_stands_in_the_link()
    {
        Assert.Equal("sunday-letter", SourceTag.From(" Sunday  Letter! "));
        Gen.String.AlwaysHolds(text =>
            SourceTag.From(text) is var tag && tag.Length <= SourceTag.MaxLength && SourceTag.From(tag) == tag
        );
    }

    [Fact]
    public void A_promise_of_a_page_holds_for_its_visitor_only()
    {
        using var tokens = new VisitorToken(new byte[32]);
        var (visitor, other) = (VisitorId.New(Now, new SeededChance(1)), VisitorId.New(Now, new SeededChance(2)));
        var promise = tokens.IssuePage(visitor, new(7), Now);
        Assert.Equal(new PageId(7), tokens.ReadPage(promise, visitor, Now));
        Assert.Null(tokens.ReadPage(promise, other, Now));
        Assert.Null(tokens.ReadPage(promise, visitor, Now.AddMinutes(11)));
        Assert.Equal(Now, visitor.FirstSeen);
    }

    private static Gen<T> OneOf<T>(params T[] values) => Gen.Int[0, values.Length - 1].Select(i => values[i]);

    private static TimeZoneInfo Vienna => TimeZoneInfo.FindSystemTimeZoneById("Europe/Vienna");

    private static Assignment? Take(RouteStep step, Visit visit, Enrolment? place) =>
        Assignment.Decide(step, visit, place, (test, _) =>
            new Rotation(test.Weights, 0).Next(new long[test.Weights.Count])
        );

    private static RouteStep Step(Weights weights, Func<RouteTest, RouteTest> change, bool tied = false)
    {
        var pages = Enumerable
            .Range(1, weights.Count)
            .Select(i => new RoutePage(new(i), new(1), $"p{i}", 1, null))
            .ToArray();
        return new(new(1), "calendar", pages[0], change(new RouteTest(new(1), new(1), pages, weights, 0)), null)
        {
            Tied = tied
                ? new Dictionary<string, RoutePage> { ["tied"] = new(new(99), new(1), "tied", 1, null) }
                : new Dictionary<string, RoutePage>(),
        };
    }
}
