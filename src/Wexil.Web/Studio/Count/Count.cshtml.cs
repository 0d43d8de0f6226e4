using Wexil.Core.Evidence;
using Wexil.Core.Splits;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Count;

/// <summary>Two tests that ran side by side, crossed.</summary>
public sealed record Crossing(SplitTest First, string FirstStep, SplitTest Second, string SecondStep, PairTable Table, Func<SplitTest, int, string> Name)
{
    public PairStanding? At(int first, int second) => Table.Pairs.FirstOrDefault(pair => pair.First == first && pair.Second == second);
}

/// <summary>Which page pulls best, and whether the numbers can be trusted.</summary>
public sealed class CountModel(StepScreens screens, TestStore tests, TallyStore tallies, PageStore pages, SettingStore settings) : StepPageModel(screens)
{
    public override string Stage => "count";

    /// <summary>Visitors who saw a page without being drawn.</summary>
    public IReadOnlyList<(string Words, string Page, Arm Arm)> Apart { get; private set; } = [];

    public IReadOnlyList<TestChange> Changes { get; private set; } = [];

    public IReadOnlyList<Crossing> Crossings { get; private set; } = [];

    /// <summary>What the visitors of each page brought in the owner's currency; empty where nobody bought.</summary>
    public IReadOnlyList<PageMoney> Money { get; private set; } = [];

    /// <summary>Visits that were served and left out of every count.</summary>
    public long LeftOut { get; private set; }

    public void OnGet()
    {
        if (Screen.Reading is not { } reading) return;
        Changes = tests.Changes(reading.Test.Id);
        Money = tallies.Money(reading.Test, settings.Currency);
        LeftOut = tallies.LeftOut(Screen.Step.Id).Values.Sum();
        Apart = [.. tallies.Apart(reading.Test.Id).Select(arm => (Words(arm.Reason), pages.Find(arm.Page)!.Name, arm.Arm))];
        Crossings = [.. tallies.Pairs(reading.Test.Id).Select(pair => Cross(tests.Find(pair.First)!, tests.Find(pair.Second)!, pair.Cells))];
    }

    private Crossing Cross(SplitTest first, SplitTest second, IReadOnlyList<PairCell> cells) => new(
        first, StepName(first), second, StepName(second),
        PairTable.Of([.. first.Pages.Select(a => (IReadOnlyList<Arm>)[.. second.Pages.Select(b => cells.FirstOrDefault(cell => cell.First == a && cell.Second == b)?.Arm ?? default)])]),
        (test, i) => pages.Find(test.Pages[i])!.Name);

    private string StepName(SplitTest test) => Screen.Steps.FirstOrDefault(step => step.Id == test.Step)?.Name ?? "a step put away";

    private static string Words(Apart reason) => reason switch
    {
        Core.Splits.Apart.Tied => "Sent there by a source that is tied to it",
        Core.Splits.Apart.Affiliate => "Sent by affiliates, drawn from the pages open to them",
        Core.Splits.Apart.Audience => "Do not take part",
        Core.Splits.Apart.Share => "Left out by the share",
        Core.Splits.Apart.Late => "Stayed, because Wexil did not answer in time",
        _ => "Came while the test did not run",
    };
}
