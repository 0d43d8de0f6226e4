using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.SplitTests;
using Wexil.Pages.Editing;
using Wexil.Pages.Starters;
using Wexil.Store;

namespace Wexil.App.Setup;

/// <summary>How far an owner is on the way to a first test.</summary>
public enum FirstTestStage
{
    /// <summary>There is no funnel.</summary>
    Funnel,

    /// <summary>The funnel's first step has no page.</summary>
    Page,

    /// <summary>There is one page, and nothing to compare it with.</summary>
    SecondPage,

    /// <summary>There are two pages, and no test.</summary>
    Start,

    /// <summary>A test was started; the guide has nothing more to do.</summary>
    Done,
}

/// <summary>Where the way to a first test has led.</summary>
/// <param name="Step">The first of the funnel; null while there is none.</param>
/// <param name="Goal">The last of it, which counts as a conversion.</param>
/// <param name="Pages">Those of the step, the oldest first.</param>
/// <param name="Test">The newest test; null while there is none.</param>
public sealed record FirstTestState(
    FirstTestStage Stage,
    Funnel? Funnel = null,
    Step? Step = null,
    Step? Goal = null,
    IReadOnlyList<Page>? Pages = null,
    SplitTest? Test = null
)
{
    /// <summary>The page that visitors see until the test starts.</summary>
    public Page? Control => Pages is [var first, ..] ? first : null;
}

/// <summary>
/// Leads from an empty Wexil to a test that runs. Where the owner is follows from what there is, so that the way can be
/// left and taken up again at any place, on any screen.
/// </summary>
public sealed class FirstTestGuide(FunnelStore funnels, PageStore pages, DraftStore drafts, TestStore tests)
{
    // What such pages convert as a rule; corrected by what comes.
    private const double OptInRate = 0.25,
        SalesRate = 0.02,
        SmallestLift = 0.2;

    /// <summary>How far the owner is.</summary>
    public FirstTestState State()
    {
        if (tests.Newest() is { } test)
            return new(FirstTestStage.Done, Test: test);
        if (funnels.All() is not [.., var funnel])
            return new(FirstTestStage.Funnel);
        var steps = funnels.Steps(funnel.Id).Where(step => !step.IsArchived).ToArray();
        if (steps is not [var first, .., var last])
            return new(FirstTestStage.Funnel, funnel);
        var own = pages.ForStep(first.Id);
        var stage = own.Count switch
        {
            0 => FirstTestStage.Page,
            1 => FirstTestStage.SecondPage,
            _ => FirstTestStage.Start,
        };
        return new(stage, funnel, first, last, own);
    }

    /// <summary>Makes the funnel for a first test: a page to test, and the thank-you page that counts.</summary>
    /// <param name="page">The page to test; null where it is added later.</param>
    public async Task<(Funnel Funnel, Step Step)> CreateAsync(Offer offer, bool isSales, FunnelPage? page)
    {
        var name = offer.Name;
        var slug = Slug.From(name);
        FunnelStep Later(string step, string starter) =>
            new(
                Starter.Find(starter)!.Kind,
                step,
                Slug.From($"{slug}-{step}"),
                [new(Starter.Find(starter)!.Name, Starter.Find(starter)!.BundleFor(offer), null)]
            );
        FunnelStep tested = new(
            isSales ? StepKind.Sales : StepKind.OptIn,
            isSales ? "Sales page" : "Opt-in",
            slug,
            page is null ? [] : [page]
        );
        FunnelStep[] later = isSales
            ? [Later("Checkout", "till"), Later("Thank you", "thank-you-download")]
            : [Later("Thank you", "thank-you")];
        var funnel = await funnels.CreateAsync(name, [tested, .. later], isLive: false);
        return (funnel, funnels.Steps(funnel.Id)[0]);
    }

    /// <summary>A starter page for the step that is tested.</summary>
    public static FunnelPage StarterPage(Offer offer, bool isSales)
    {
        var starter = Starter.Find(isSales ? "sales-letter" : "opt-in")!;
        return new(starter.Name, starter.BundleFor(offer), null);
    }

    /// <summary>Clones the control with another headline and publishes it.</summary>
    /// <returns>The clone; null where the control has no headline to write into.</returns>
    public async Task<Page?> AddHeadlineAsync(FirstTestState state, string words)
    {
        if (state.Control is not { IsHosted: true } control)
            return null;
        var source = pages.Source(control);
        if (Headline.Of(source)?.Write(source, words) is not { } changed)
            return null;
        var clone = pages.Find(await pages.CloneAsync(control, words.Length > 60 ? words[..60] : words))!;
        await drafts.EditAsync(clone, drafts.For(clone), changed, "Headline");
        await pages.PublishAsync(clone, changed, "Headline");
        return clone;
    }

    /// <summary>Starts the test of the two newest pages, half of the visitors each; the funnel goes live.</summary>
    /// <returns>False where somebody started one a moment ago.</returns>
    public async Task<bool> StartAsync(FirstTestState state)
    {
        var (control, other) = (state.Pages![0], state.Pages[^1]);
        TestPlan plan = new(
            state.Step!.Id,
            state.Goal!.Id,
            other.Name,
            "",
            state.Step.Kind == StepKind.Sales ? SalesRate : OptInRate,
            SmallestLift,
            [control.Id, other.Id],
            Weights.Even(2)
        );
        var started = await tests.StartAsync(plan);
        await funnels.GoLiveAsync(state.Funnel!.Id);
        return started is not null;
    }
}
