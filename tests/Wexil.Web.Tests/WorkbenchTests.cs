using System.Globalization;
using System.Net;
using System.Text.RegularExpressions;
using Wexil.Core.Statistics;
using Wexil.Store;
using Wexil.Web.Commands;

namespace Wexil.Web.Tests;

/// <summary>The instruments for numbers from elsewhere, in Studio and on the command line.</summary>
public sealed class WorkbenchTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    [Fact]
    public async Task Pages_are_compared_from_the_address_and_from_a_spreadsheet_and_what_is_wrong_is_said()
    {
        using var owner = await wexil.OwnerAsync();
        const string numbers =
            "p[0].Name=Old&p[0].Visitors=5,000&p[0].Conversions=500"
            + "&p[1].Name=New&p[1].Visitors=5000&p[1].Conversions=650";
        Assert.Contains(
            "Keep B. It got 30% more conversions than A.",
            await owner.GetStringAsync("/workbench?" + numbers)
        );
        var pasted = await owner.GetAsync(
            $"/workbench?Paste={Uri.EscapeDataString("page\tvisitors\tconversions\nOld\t5,000\t500\nNew\t5000\t650")}"
        );
        Assert.Contains("p[1].Visitors=5000", pasted.Headers.Location!.OriginalString);
        Assert.Contains("Keep B.", await owner.GetStringAsync(pasted.Headers.Location.OriginalString));
        var revenue = await owner.GetAsync(
            $"/workbench?Paste={Uri.EscapeDataString("Old\t5,000\t500\t1,950.00\nNew\t5000\t650\t2,600.00")}"
        );
        Assert.Contains("$0.52", await owner.GetStringAsync(revenue.Headers.Location!.OriginalString));
        var wrong = await owner.GetStringAsync("/workbench?p[0].Visitors=100&p[0].Conversions=200&p[1].Visitors=x");
        Assert.Contains("More conversions than visitors", wrong);
        Assert.Contains("value=\"x\"", wrong);
        Assert.DoesNotContain("Which page does best", wrong);
    }

    [Theory]
    [InlineData(400, 80, 88)]
    [InlineData(900, 180, 225)]
    [InlineData(900, 180, 250)]
    [InlineData(1700, 340, 342)]
    public async Task The_same_numbers_give_the_same_sentence_as_on_Count(int each, int onA, int onB)
    {
        var tested = await wexil.StartTestAsync($"compared-{each}-{onB}");
        await Crowd.ComeAsync(wexil, tested, each, onA, onB);
        await wexil.Host.Journal.WhenProjectedAsync();
        using var owner = await wexil.OwnerAsync();
        string SentenceOf(string screen) =>
            Regex.Match(WexilFixture.Read(screen), "<p class=\"big\">([^<]+)</p>").Groups[1].Value;
        var count = SentenceOf(await owner.GetStringAsync($"/f/{tested.Funnel.Slug}/{tested.Step.Slug}/count"));
        var compared = SentenceOf(
            await owner.GetStringAsync(
                $"/workbench?p[0].Visitors={each}&p[0].Conversions={onA}&p[1].Visitors={each}&p[1].Conversions={onB}"
            )
        );
        Assert.NotEmpty(compared);
        Assert.Equal(count.Replace("opt-ins", "conversions", StringComparison.Ordinal), compared);
    }

    [Fact]
    public async Task A_plan_compares_designs_and_says_which_ends_soonest()
    {
        using var owner = await wexil.OwnerAsync();
        var plan = WexilFixture.Read(await owner.GetStringAsync("/workbench/plan?Rate=5&Lift=20&PerDay=800&Pages=4"));
        Assert.Contains("With 4 pages, a split of 37/21/21/21 ends soonest: 57 days.", plan);
        Assert.Contains("One more page takes 18 days more", plan);
        foreach (var row in new[] { "2 pages, even split", "4 pages, even split", "4 pages, favoring the leader" })
            Assert.Contains(row, plan);
        var two = WexilFixture.Read(await owner.GetStringAsync("/workbench/plan?Rate=5&Lift=20&PerDay=800"));
        Assert.Contains("With 2 pages, an even split ends soonest: 24 days.", two);
    }

    [Theory]
    [InlineData("50/50", "Random", "needs about", false)]
    [InlineData("90/10", "Random", "A split of 50/50 needs about", true)]
    [InlineData("50/50", "Adaptive", "A split of 50/50 needs about", true)]
    [InlineData("34/33/33", "Random", "One more page would need about", true)]
    [InlineData("60/20/20", "Random", "A split of 42/29/29 needs about", true)]
    [InlineData("100/0", "Random", "while only the control gets visitors", true)]
    [InlineData("0/100", "Random", "while the control gets no visitors", true)]
    [InlineData("50/50/0", "Random", "One more page would need about", true)]
    [InlineData("90/10/0", "Random", "A split of 50/50 needs about", true)]
    public async Task Send_names_a_split_that_ends_sooner(string weights, string allocation, string words, bool isSaid)
    {
        var tested = await wexil.StartTestAsync("split-" + weights.Replace('/', '-') + allocation.ToLowerInvariant());
        using var owner = await wexil.OwnerAsync();
        var ahead = await owner.GetStringAsync(
            $"/f/{tested.Funnel.Slug}/{tested.Step.Slug}/send?handler=Ahead&weights={weights}&allocation={allocation}"
                + "&share=100&baseRate=10&smallestLift=20"
        );
        Assert.Equal(isSaid, ahead.Contains(words, StringComparison.Ordinal));
    }

    [Fact]
    public async Task Send_plans_for_the_floor_that_is_typed_and_for_a_goal_of_which_fewer_is_better()
    {
        var tested = await wexil.StartTestAsync("planned-for");
        using var owner = await wexil.OwnerAsync();
        async Task<int> VisitorsAsync(string settings)
        {
            // No test runs on this step: what is typed is what is planned for.
            var send = $"/f/{tested.Funnel.Slug}/{tested.Thanks.Slug}/send";
            var ahead = await owner.GetStringAsync(
                $"{send}?handler=Ahead&weights=50/50&baseRate=10&smallestLift=20{settings}"
            );
            return int.Parse(Regex.Match(ahead, "About ([0-9,]+) visitors").Groups[1].Value, NumberStyles.Number);
        }
        Assert.True(
            await VisitorsAsync("&allocation=Adaptive&floor=30") < await VisitorsAsync("&allocation=Adaptive&floor=5")
        );
        Assert.Equal(RoundedUp(Planner.PlannedTotal(0.9, 0.02 / 0.9, 2)), await VisitorsAsync("&fewerIsBetter=true"));
        Assert.Equal(RoundedUp(Planner.PlannedTotal(0.1, 0.2, 2)), await VisitorsAsync(""));

        static int RoundedUp(double visitors) => (int)(Math.Ceiling(visitors / 100) * 100);
    }

    [Fact]
    public async Task A_plan_says_the_days_what_could_be_found_and_what_cannot_end()
    {
        using var owner = await wexil.OwnerAsync();
        var plan = await owner.GetStringAsync("/workbench/plan?Rate=3&Lift=20&PerDay=500");
        var visitors = Planner.PlannedTotal(0.03, 0.2, 2);
        Assert.Contains($"about {Math.Ceiling(visitors / 100) * 100:N0} visitors in total", plan);
        Assert.Contains($"a lift of {Planner.LiftFound(0.03, 500 * 28, 2) * 100:0.0}% or more", plan);
        Assert.Equal(14_000, Planner.PlannedTotal(0.03, Planner.LiftFound(0.03, 14_000, 2)!.Value, 2), 1.0);
        Assert.Contains(
            "would take more than a year",
            await owner.GetStringAsync("/workbench/plan?Rate=0.1&Lift=5&PerDay=20")
        );
        Assert.Contains(
            "Enter a percentage above 0 and below 100.",
            await owner.GetStringAsync("/workbench/plan?Rate=abc")
        );
    }

    [Fact]
    public async Task A_split_that_lost_visitors_is_called()
    {
        using var owner = await wexil.OwnerAsync();
        Assert.Contains(
            "Visitors are being lost or added",
            await owner.GetStringAsync("/workbench/split?Visitors=5000+4500")
        );
        Assert.Contains(
            "Yes, as closely as chance allows.",
            await owner.GetStringAsync("/workbench/split?Visitors=1661+1647+827&Weights=40/40/20")
        );
        Assert.Contains(
            "Enter one weight per page",
            await owner.GetStringAsync("/workbench/split?Visitors=5000+4500&Weights=1")
        );
    }

    [Fact]
    public async Task Numbers_are_kept_under_a_name_when_asked_and_nothing_but_numbers_of_the_workbench()
    {
        using var owner = await wexil.OwnerAsync();
        const string numbers = "/workbench/split?Visitors=5000+4500";
        Assert.Contains($"value=\"{numbers}\"", WebUtility.HtmlDecode(await owner.GetStringAsync(numbers)));
        Assert.DoesNotContain("name=\"Address\"", await owner.GetStringAsync("/workbench/split"));
        Assert.Equal(
            HttpStatusCode.Redirect,
            (
                await WexilFixture.PostAsync(
                    owner,
                    numbers,
                    "/workbench/kept",
                    "",
                    ("Address", numbers),
                    ("Name", " Letter & card ")
                )
            ).StatusCode
        );
        await WexilFixture.PostAsync(
            owner,
            numbers,
            "/workbench/kept",
            "",
            ("Address", "/workbench/plan?Rate=3&PerDay=500"),
            ("Name", "Autumn")
        );
        var kept = WebUtility.HtmlDecode(await owner.GetStringAsync("/workbench/kept"));
        Assert.Contains($"<a href=\"{numbers}\">Letter & card</a>", kept);
        Assert.True(
            kept.IndexOf("Autumn", StringComparison.Ordinal) < kept.IndexOf("Letter", StringComparison.Ordinal)
        );
        // The same name again is the same numbers, renewed.
        await WexilFixture.PostAsync(
            owner,
            numbers,
            "/workbench/kept",
            "",
            ("Address", "/workbench/plan?Rate=4&PerDay=500"),
            ("Name", "Autumn")
        );
        Assert.Equal(
            ["/workbench/plan?Rate=4&PerDay=500", numbers],
            wexil.Get<NumberStore>().All().Select(one => one.Address)
        );
        foreach (
            var (address, name, why) in new[]
            {
                (numbers, " ", "Enter a name for these numbers"),
                (numbers, new string('x', 81), "At most 80 characters."),
                ("https://elsewhere.example/?x=1", "Elsewhere", "Nothing to save"),
                ("/workbench", "Empty", "Nothing to save"),
            }
        )
        {
            var again = await (
                await WexilFixture.PostAsync(
                    owner,
                    numbers,
                    "/workbench/kept",
                    "",
                    ("Address", address),
                    ("Name", name)
                )
            ).Content.ReadAsStringAsync();
            Assert.Contains(why, again);
            Assert.Contains($"value=\"{name.Trim()}\"", again);
        }
        await WexilFixture.PostAsync(
            owner,
            numbers,
            "/workbench/kept",
            "Drop",
            ("id", wexil.Get<NumberStore>().All()[0].Id.ToString(CultureInfo.InvariantCulture))
        );
        Assert.Equal(numbers, Assert.Single(wexil.Get<NumberStore>().All()).Address);
    }

    [Fact]
    public void A_file_is_computed_line_by_line_and_bad_lines_are_named()
    {
        using var output = new MemoryStream();
        var problems = new StringWriter();
        Assert.Equal(
            3,
            EvidenceCommand.Run(
                new StringReader(
                    """
                    note,visitors_a,conversions_a,visitors_b,conversions_b
                    x,100,10,100,20
                    y,100,x,100,20
                    z,100,0,100,5

                    """
                ),
                "two-proportions",
                asJson: false,
                output,
                problems
            )
        );
        Assert.Equal("line 3: “x” is no count.", problems.ToString().Trim());
        var lines = System.Text.Encoding.UTF8.GetString(output.ToArray()).TrimStart('\uFEFF').TrimEnd().Split('\n');
        Assert.StartsWith("visitors_a,conversions_a,visitors_b,conversions_b,p_value,wilson_a_low", lines[0]);
        Assert.Equal(3, lines.Length);
        Assert.EndsWith("NA,NA,NA", lines[2]);
        Assert.Equal(
            2,
            EvidenceCommand.Run(new StringReader("a,b\n1,2\n"), "planner", asJson: false, output, problems)
        );
        Assert.Equal(2, EvidenceCommand.Run(new StringReader(""), "guess", asJson: false, output, problems));
        using var json = new MemoryStream();
        Assert.Equal(
            0,
            EvidenceCommand.Run(
                new StringReader("visitors,conversions\n100;100,10;20\n"),
                "posterior-best",
                asJson: true,
                json,
                problems
            )
        );
        var best = System.Text.Json.JsonDocument.Parse(json.ToArray()).RootElement[0];
        Assert.InRange(best.GetProperty("chance_best")[1].GetDouble(), 0.9, 1);
    }
}
