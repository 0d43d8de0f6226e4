using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Store;

namespace Wexil.Web.Tests;

/// <summary>No page converts more than everyone, and an upsell is not won by those who decline it.</summary>
public sealed class PossibleLiftTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    [Theory]
    [InlineData("60", "66", true)]
    [InlineData("60", "67", false)]
    public async Task A_lift_that_no_page_can_have_is_refused_where_a_test_is_planned(
        string rate,
        string lift,
        bool isOk
    )
    {
        const string refusal = "Of 60% who convert, at most 66.7% more can: no page converts more than everyone.";
        using var owner = await wexil.OwnerAsync();
        var plan = WexilFixture.Read(await owner.GetStringAsync($"/workbench/plan?Rate={rate}&Lift={lift}&PerDay=500"));
        Assert.Equal(!isOk, plan.Contains(refusal, StringComparison.Ordinal));

        var (funnel, step, a, b) = await StepAsync(StepKind.OptIn, $"possible-{lift}");
        var answer = await WexilFixture.PostAsync(
            owner,
            $"/f/{funnel.Slug}/{step.Slug}/send",
            "Start",
            ("Rows[0].Page", $"{a.Value}"),
            ("Rows[0].In", "true"),
            ("Rows[0].Weight", "50"),
            ("Rows[1].Page", $"{b.Value}"),
            ("Rows[1].In", "true"),
            ("Rows[1].Weight", "50"),
            ("Control", $"{a.Value}"),
            ("Goal", "0"),
            ("MainGoal.Kind", "Sale"),
            ("BaseRate", rate),
            ("SmallestLift", lift)
        );
        Assert.Equal(isOk, wexil.Get<TestStore>().ForStep(step.Id).Count == 1);
        var said = WexilFixture.Read(await answer.Content.ReadAsStringAsync());
        Assert.Equal(!isOk, said.Contains(refusal, StringComparison.Ordinal));
    }

    [Theory]
    [InlineData(StepKind.Upsell, true)]
    [InlineData(StepKind.Sales, false)]
    public async Task The_goal_of_an_upsell_is_a_sale_unless_another_is_chosen(StepKind kind, bool isSale)
    {
        var (funnel, step, _, _) = await StepAsync(kind, $"goal-of-{kind}".ToLowerInvariant());
        using var owner = await wexil.OwnerAsync();
        var send = await owner.GetStringAsync($"/f/{funnel.Slug}/{step.Slug}/send");
        Assert.Equal(isSale, send.Contains("<option value=\"0\" selected", StringComparison.Ordinal));
        Assert.Matches(
            isSale ? "<option[^>]*value=\"Sale\"[^>]*selected|selected[^>]*value=\"Sale\"" : "<option",
            send
        );
    }

    private async Task<(Funnel Funnel, Step Step, PageId A, PageId B)> StepAsync(StepKind kind, string slug)
    {
        var (funnels, pages) = (wexil.Get<FunnelStore>(), wexil.Get<PageStore>());
        var funnel = await funnels.CreateAsync(slug);
        var step = (await funnels.AddStepAsync(funnel.Id, kind, slug, slug))!;
        await funnels.AddStepAsync(funnel.Id, StepKind.ThankYou, "Thanks", slug + "-thanks");
        Task<PageId> AddAsync(string name) => pages.AddAsync(step.Id, name, WexilFixture.Bundle($"<h1>{name}</h1>"));
        return (funnel, step, await AddAsync("A"), await AddAsync("B"));
    }
}
