using Wexil.App.Visits;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.SplitTests;
using Wexil.Store;
using Wexil.Store.Recording;

namespace Wexil.Web.Tests;

/// <summary>What visitors are answered from follows what is written, and nobody has to say so.</summary>
public sealed class RoutesTests(WexilFixture wexil) : IClassFixture<WexilFixture>
{
    [Fact]
    public async Task After_each_write_the_table_is_the_one_that_reading_it_anew_gives()
    {
        var tested = await wexil.StartTestAsync("followed");
        await wexil.StartTestAsync("beside");
        var (funnels, tests, pages) = (wexil.Get<FunnelStore>(), wexil.Get<TestStore>(), wexil.Get<PageStore>());
        var (sources, settings) = (wexil.Get<SourceStore>(), wexil.Get<SettingStore>());
        Check("a test is started");
        await tests.ChangeWeightsAsync(tested.Test, Weights.Create(70, 30));
        Check("weights are changed");
        await tests.PauseAsync(tested.Test, true);
        Check("a test is paused");
        await tests.PauseAsync(tested.Test, false);
        Check("a test goes on");
        var added = (await funnels.AddStepAsync(tested.Funnel.Id, StepKind.Sales, "Kit", "kit"))!;
        Check("a step is added");
        var page = await pages.AddAsync(added.Id, "Kit", new Uri("https://shop.larkrow.example/kit"));
        Check("a page is added");
        await sources.SaveAsync(
            tested.Funnel.Id,
            null,
            "letter",
            "Letter",
            SourceKind.Affiliate,
            null,
            new Dictionary<StepId, PageId> { [tested.Step.Id] = tested.A.Id }
        );
        Check("a source is tied to a page");
        var source = sources.ForFunnel(tested.Funnel.Id).Single(known => known.Tag == "letter").Id;
        await sources.SaveAsync(
            tested.Funnel.Id,
            source,
            "letter",
            "Letter",
            SourceKind.Affiliate,
            null,
            new Dictionary<StepId, PageId> { [tested.Step.Id] = tested.B.Id }
        );
        Check("a source is tied to another page");
        await funnels.SetLinkAsync(added.Id, CarriedParameters.All, redirects: true);
        Check("a link carries everything");
        await funnels.ArchiveStepAsync(added.Id, "https://larkrow.example/over");
        Check("a step is put away");
        await funnels.RestoreStepAsync(added.Id);
        Check("a step is taken out again");
        await wexil.Get<PageShelf>().ArchiveAsync(pages.Find(page)!);
        await wexil.Get<PageShelf>().DeleteAsync(pages.Find(page)!);
        Check("a page is deleted");
        await settings.SetAffiliateParameterAsync("ref");
        Check("a setting is changed");
    }

    [Fact]
    public async Task What_fails_after_a_write_leaves_no_visitor_on_the_table_before()
    {
        var tested = await wexil.StartTestAsync("failing");
        await Assert.ThrowsAsync<InvalidOperationException>(async () =>
        {
            await wexil.Get<TestStore>().PauseAsync(tested.Test, true);
            throw new InvalidOperationException("the mail about it cannot be queued");
        });
        Assert.Null(wexil.Get<Routes>().Current.Step("failing")!.Test!.Phase);
    }

    private void Check(string what)
    {
        var (shown, stored) = (wexil.Get<Routes>().Current, wexil.Get<RouteStore>().Load());
        Assert.True(Text(shown) == Text(stored), $"{what}:\n{Text(shown)}\ninstead of\n{Text(stored)}");
    }

    private static string Text(RouteTable table) =>
        string.Join(
            '\n',
            table
                .Steps.OrderBy(step => step.Slug, StringComparer.Ordinal)
                .Select(step =>
                    $"{step.Slug} {step.Page?.Slug} {step.Page?.Revision} {step.YesSlug} {step.NoSlug} {step.Forward} "
                    + $"{step.Carries} {step.Redirects} test {step.Test?.Id.Value} phase {step.Test?.Phase?.Value} "
                    + $"weights {step.Test?.Weights} "
                    + $"ties {string.Join(',', step.Tied.Select(tie => $"{tie.Key} {tie.Value.Slug}"))} "
                    + $"affiliates {string.Join(',', step.Affiliates)}"
                )
                .Append(
                    $"pages {string.Join(',', table.Pages.Select(page => page.Slug).Order(StringComparer.Ordinal))}"
                )
                .Append($"affiliates by {table.AffiliateParameter}")
        );
}
