using System.Text;
using Wexil.App.Results;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Goals;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Demo.Simulators;
using Wexil.Store;
using Wexil.Store.Recording;
using Wexil.Web.Hosting;

namespace Wexil.Demo;

/// <summary>Makes funnels, pages and tests at moments of the made-up past.</summary>
internal sealed class DemoBuilder(WexilHost host, SimulatorAddresses simulators)
{
    private static readonly PageFile[] Pictures =
    [
        .. new[] { "seedlings.svg", "rail-planter.svg" }.Select(name => new PageFile(
            $"files/{name}",
            Encoding.UTF8.GetBytes(Source(name))
        )),
    ];
    private readonly Database _database = host.Database;
    private readonly Journal _journal = host.Journal;

    /// <summary>The moment that the demo is made.</summary>
    public DateTimeOffset Now { get; } = host.Services.GetRequiredService<TimeProvider>().GetUtcNow();

    public SimulatorAddresses Simulators => simulators;

    public T Get<T>()
        where T : notnull => host.Services.GetRequiredService<T>();

    public (FunnelStore Funnels, PageStore Pages, TestStore Tests) At(DateTimeOffset moment)
    {
        var time = new Moment(moment);
        return (new(_database, _journal, time), new(_database, _journal, time), new(_database, _journal, time));
    }

    public async Task<Step> StepAsync(Funnel funnel, StepKind kind, string name, string slug) =>
        await At(Now).Funnels.AddStepAsync(funnel.Id, kind, name, slug)
        ?? throw new StoreException($"The demo's link {slug} is taken.");

    /// <param name="first">The part as it stands in the page.</param>
    public async Task<Step> SectionAsync(DateTimeOffset at, Step host, string name, string key, string first) =>
        await At(at).Funnels.AddSectionAsync(host, name, key, first)
        ?? throw new StoreException($"The demo's section {key} is taken.");

    public async Task<PageId> PageAsync(DateTimeOffset at, Step step, string name, string html)
    {
        var page = await At(at)
            .Pages.AddAsync(
                step.Id,
                name,
                new PageBundle([new("index.html", Encoding.UTF8.GetBytes(html)), .. Pictures], "index.html")
            );
        return page;
    }

    public Task<PageId> OutsideAsync(DateTimeOffset at, Step step, string name, string path) =>
        OutsideAsync(at, step, name, new Uri(simulators.Site, path));

    public async Task<PageId> OutsideAsync(DateTimeOffset at, Step step, string name, Uri address)
    {
        var page = await At(at).Pages.AddAsync(step.Id, name, address);
        return page;
    }

    public async Task<PageId> CloneAsync(DateTimeOffset at, PageId parent, string name, Func<string, string> change)
    {
        var pages = At(at).Pages;
        var clone = pages.Find(await pages.CloneAsync(pages.Find(parent)!, name))!;
        await pages.PublishAsync(clone, change(pages.Source(clone)), name);
        return clone.Id;
    }

    public async Task<TestId> StartAsync(DateTimeOffset at, TestPlan plan)
    {
        var test = await At(at).Tests.StartAsync(plan)
            ?? throw new StoreException("The demo's test could not be started.");
        return test;
    }

    public async Task AddGoalsAsync(DateTimeOffset at, Step step, params Goal[] goals)
    {
        var test = At(at).Tests.ForStep(step.Id)[0].Id;
        foreach (var goal in goals)
            await new GoalStore(_database, _journal, new Moment(at)).AddAsync(test, goal);
    }

    /// <param name="check">How the page is checked from then on; null for not at all.</param>
    public async Task KeepAsync(DateTimeOffset at, TestId test, PageId page, CheckPlan? check = null)
    {
        var tests = At(at).Tests;
        var known = tests.Find(test)!;
        await new DemoLooks(host, at).TakeAsync([known]);
        var reading = Get<TestReader>().Read(known, At(at).Funnels.AllSteps());
        await new VerdictRecorder(
            new VerdictStore(_database, _journal, new Moment(at)),
            Get<TallyStore>(),
            Get<SettingStore>(),
            new Moment(at)
        ).KeepAsync(reading, page, known.Check is null ? VerdictStore.ByHand : VerdictStore.ByCheck, check);
    }

    /// <summary>The check that goes on at a step.</summary>
    public TestId CheckOn(Step step) => At(Now).Tests.ForStep(step.Id).Single(test => test is { Check: not null }).Id;

    public Task LearnAsync(TestId test, string words) => At(Now).Tests.SetLearnedAsync(test, words);

    /// <summary>A page of the demo, as it stands in its file.</summary>
    public static string Source(string name)
    {
        using var reader = new StreamReader(
            typeof(DemoBuilder).Assembly.GetManifestResourceStream($"Wexil.Demo.Pages.{name}")!
        );
        return reader.ReadToEnd();
    }

    /// <summary>A clock that stands at a moment of the made-up past.</summary>
    private sealed class Moment(DateTimeOffset moment) : TimeProvider
    {
        public override DateTimeOffset GetUtcNow() => moment;
    }
}
