using Microsoft.AspNetCore.Mvc;
using Wexil.App;
using Wexil.App.Drafts;
using Wexil.App.Monitoring;
using Wexil.App.Outbox;
using Wexil.App.Results;
using Wexil.App.Serving;
using Wexil.App.Visits;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Pages;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Pages.Source;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Keep;

/// <param name="Made">One that was just made, in full.</param>
public sealed record ReportLinks(TestId Test, IReadOnlyList<SharedLink> Links, string? Made, int Days);

/// <summary>A section whose version is kept.</summary>
/// <param name="On">The hosted pages that show it by the section's mark.</param>
/// <param name="WrittenInto">The hosted pages that it was written into.</param>
/// <param name="Code">What the owner pastes into pages that are elsewhere; null where there are none.</param>
public sealed record KeptSection(Page Version, IReadOnlyList<Page> On, IReadOnlyList<Page> WrittenInto, string? Code);

/// <summary>Ends a test by keeping a page, takes it back, and shows what was decided before.</summary>
public sealed class KeepModel(
    StepScreens screens,
    VerdictStore verdicts,
    TestStore tests,
    PageStore pages,
    VerdictRecorder keeper,
    KeptGains gains,
    OwnerMail mail,
    OwnerTime clock,
    VisitorsAddress visitors,
    SectionWriter sections,
    HostedPages hosted,
    Routes routes
) : StepPageModel(screens)
{
    /// <param name="Gain">What the page brought more; null where it was the control, or where that is not
    /// known.</param>
    public sealed record Row(VerdictLine Line, string PageName, GainLine? Gain);

    public override string Stage => "keep";

    public IReadOnlyList<Row> History { get; private set; } = [];

    /// <summary>How the step got here; null before anything was decided.</summary>
    public HistoryChart? Drawn { get; private set; }

    /// <summary>A report's link that was just made, and for which test: it is shown once.</summary>
    [TempData]
    public string? MadeReport { get; set; }

    [TempData]
    public string? MadeFor { get; set; }

    /// <summary>The test that is shared first: of a check the one that it checks, whose report tells of both.</summary>
    public TestId Shared => Screen.Reading!.Test.Check?.Of ?? Screen.Reading.Test.Id;

    /// <summary>The links by which a test's report is read.</summary>
    public ReportLinks Reports(TestId test) =>
        new(
            test,
            tests.Reports.For(test.Value),
            MadeFor == test.Value.ToString(System.Globalization.CultureInfo.InvariantCulture) ? MadeReport : null,
            (int)tests.Reports.Lasts.TotalDays
        );

    public const int MaxLearnedLength = 2000;

    /// <summary>The verdict by which the step shows its page, while no test of its own runs.</summary>
    public Row? InForce =>
        Screen.Testing is null
        && History is [{ Line.Stands: true } newest, ..]
        && newest.Line.Test.Id == (Screen.Checking?.Test.Check!.Of ?? Screen.Reading!.Test.Id)
            ? newest
            : null;

    [BindProperty]
    public long Kept { get; set; }

    /// <summary>
    /// The test on whose screen the page was chosen: a second click must not end the check that the first began.
    /// </summary>
    [BindProperty]
    public long? KeptIn { get; set; }

    [BindProperty(Name = nameof(Rule))]
    public RuleForm Rule { get; set; } = new();

    /// <summary>How the page is checked that is kept.</summary>
    [BindProperty(Name = nameof(Check))]
    public CheckForm Check { get; set; } = new();

    /// <summary>Asks once more: nothing is sure yet.</summary>
    public TestPage? Asks { get; private set; }

    [BindProperty]
    public bool Confirmed { get; set; }

    /// <summary>What the rule would do now, in words; null where pages are kept by hand.</summary>
    public string? Decides { get; private set; }

    /// <summary>Its fields as they are shown where the page is kept.</summary>
    public CheckFields CheckFields(string id) => new(Check, nameof(Check), id, Screen.Testing!);

    /// <summary>Those of the rule.</summary>
    public CheckFields RuleCheckFields =>
        new(Rule.Check, $"{nameof(Rule)}.{nameof(Rule.Check)}", "rule-check", Screen.Testing!);

    public void OnGet() => LoadRule();

    [Logged("Changed how the winner is kept")]
    public async Task<IActionResult> OnPostRuleAsync()
    {
        ModelState.Remove(nameof(Kept));
        if (Screen.Testing is not { } running)
        {
            Done = "The test is already decided. Nothing was changed.";
            return Redirect(Screen.Address("keep"));
        }
        if (Rule.Read(ModelState, nameof(Rule), clock.Today) is not { } rule)
        {
            LoadHistory();
            return Page();
        }
        await tests.SetRuleAsync(running.Test.Id, rule, RuleForm.Words(rule));
        Done = $"Saved. {RuleForm.Words(rule)}.";
        return Redirect(Screen.Address("keep"));
    }

    [Logged("Kept a page")]
    public async Task<IActionResult> OnPostKeepAsync()
    {
        if (Screen.Open is not { } running || (KeptIn ?? running.Test.Id.Value) != running.Test.Id.Value)
        {
            Done = "The test is already decided. Nothing was changed.";
            return Redirect(Screen.Address("keep"));
        }
        if (running.Pages.FirstOrDefault(page => page.Id == new PageId(Kept)) is not { } page)
        {
            ModelState.Clear();
            LoadRule();
            ModelState.AddModelError(nameof(Kept), $"Choose the {Screen.Thing} to keep.");
            return Page();
        }
        ModelState.Clear();
        var check = Check.Read(ModelState, nameof(Check));
        var asks = running.Verdict.Keep?.Id != page.Id && !Confirmed;
        if (asks || !ModelState.IsValid)
        {
            LoadRule();
            Asks = asks ? running.Result.Pages.Single(shown => shown.Page.Id == page.Id).Page : null;
            return Page();
        }
        await keeper.KeepAsync(running, page.Id, VerdictStore.ByHand, check);
        await mail.TellAsync(
            $"kept {running.Test.Id.Value}",
            $"Kept: {page.Name}",
            $"{TestMails.Where(running, Screen.Funnel)}\n“{page.Name}” was kept by hand. {running.Says.Sentence}\n"
                + TestMails.Seen(running, running.Result.Pages.Single(one => one.Page.Id == page.Id).Page, check),
            Screen.Address("keep")
        );
        AuditTrail.Detail(HttpContext, page.Name);
        var isChecked = check is not null && page.Id != running.Result.Control.Page.Id;
        Done = isChecked
            ? $"{Format.Quoted(page.Name)} is kept, and checked until {clock.Day(clock.Now + check!.Lasts)}: "
                + $"{check.Share}% of the visitors go on seeing {Format.Quoted(running.Result.Control.Page.Name)}."
            : $"{Format.Quoted(page.Name)} is kept: {Screen.ShownBy} it to everyone from now on.";
        return Redirect(Screen.Address("keep"));
    }

    [Logged("Took a decision back")]
    public async Task<IActionResult> OnPostTakeBackAsync()
    {
        LoadHistory();
        // Of a check that is over nothing goes on.
        if (InForce is not { Line.Test: { Check: null } test })
        {
            Done = "There is nothing to undo.";
            return Redirect(Screen.Address("keep"));
        }
        var (back, changed) = sections.ToPutBack(Screen.Step);
        if (await keeper.TakeBackAsync(test.Id, Screen.Checking, back) is not { } changedMeanwhile)
        {
            Done = "There is nothing to undo.";
            return Redirect(Screen.Address("keep"));
        }
        Done = "Undone: the test continues in a new phase. Visitors who came in between are not part of it.";
        if (changed.Concat(changedMeanwhile).FirstOrDefault() is { } stays)
            Done +=
                $" {Format.Quoted(stays.Name)} was changed after the section was written into it, so the section is "
                + "not tested there. Restore the earlier version under Versions.";
        return Redirect(Screen.Address("keep"));
    }

    /// <summary>Writes the kept version of a section into the pages, which have no section there any more.</summary>
    [Logged("Wrote the kept section into the page")]
    public async Task<IActionResult> OnPostWriteInAsync()
    {
        if (!Screen.Step.IsSection)
            return NotFound();
        if (Screen.IsOpen)
        {
            Done = Screen.Checking is null
                ? "The test is already running again. Nothing was changed."
                : "The kept variation is being checked. End the check first. Nothing was changed.";
            return Redirect(Screen.Address("keep"));
        }
        var written = await sections.WriteInAsync(Screen.Funnel.Id, [Screen.Step.Id]);
        Done =
            written.Count > 0
                ? $"{Format.Quoted(Screen.KeptPage!.Name)} is written into {Names(written)}. The variations stay here."
                : "No page has this section any more. Nothing was changed.";
        return Redirect(Screen.Address("keep"));
    }

    /// <summary>Pages by their names, for a sentence.</summary>
    public static string Names(IReadOnlyList<Page> pages) =>
        string.Join(", ", pages.Select(page => Format.Quoted(page.Name)));

    /// <summary>A kept section, where it stands; null for a step, and while nothing is kept.</summary>
    public KeptSection? KeptHere =>
        Screen.Step.IsSection && InForce is not null && Screen.KeptPage is { } kept
            ? new(
                kept,
                sections.PagesWith(Screen.Step),
                sections.PagesWithout(Screen.Step),
                pages.ForStep(Screen.Place.Id).Any(page => !page.IsHosted) ? CodeOf(kept) : null
            )
            : null;

    private string CodeOf(Page version) =>
        hosted.VersionElsewhere(routes.Current.PageOrVersion(version.Slug)!) ?? SectionMark.AsItStands;

    /// <summary>The kept page is the control of what comes next: its clone opens in the editor.</summary>
    [Logged("Prepared the next test")]
    public async Task<IActionResult> OnPostNextAsync()
    {
        LoadHistory();
        if (InForce is not { } inForce || pages.Find(inForce.Line.Verdict.Page) is not { IsHosted: true } kept)
        {
            Done = InForce is null
                ? "Nothing is kept here."
                : "The kept page is hosted elsewhere. Change a copy there and add it here.";
            return Redirect(Screen.Address(InForce is null ? "keep" : "build"));
        }
        // What is written into a page has to be a section there again, to be tested on.
        var changed = Screen.Step.IsSection ? await sections.PutBackAsync(Screen.Step) : [];
        var names = Screen.Pages.Select(page => page.Name).ToHashSet();
        var name = Enumerable
            .Range(2, 1000)
            .Select(round => $"{kept.Name}, round {round}")
            .First(free => !names.Contains(free));
        var clone = pages.Find(await pages.CloneAsync(kept, name))!;
        Done =
            $"{Format.Quoted(kept.Name)} is the control and this is its clone. Change one thing, publish, then "
            + "start the test on Send.";
        if (changed.Count > 0)
            Done += $" {Names(changed)} was changed after the section was written into it. Restore the section first.";
        return Redirect(Screen.Address($"build/{clone.Slug}"));
    }

    /// <summary>Writes down what a test of this step taught.</summary>
    [Logged("Noted what was learned")]
    public async Task<IActionResult> OnPostLearnedAsync(long test, string? learned)
    {
        if (Own(test) is not { } own)
            return NotFound();
        var words = (learned ?? "").ReplaceLineEndings("\n").Trim();
        if (words.Length > MaxLearnedLength)
        {
            ModelState.Clear();
            LoadRule();
            TooLong = (own.Id, words);
            return Page();
        }
        await tests.SetLearnedAsync(own.Id, words);
        Done = words.Length == 0 ? "Note deleted." : "Saved. You can find it under Tests.";
        return Redirect(Screen.Address("keep") + "#learned");
    }

    /// <summary>What was too long to be written down.</summary>
    public (TestId Test, string Words)? TooLong { get; private set; }

    [Logged("Shared a report")]
    public async Task<IActionResult> OnPostReportAsync(long test)
    {
        if (Own(test) is not { } own)
            return NotFound();
        (MadeReport, MadeFor) = (
            $"{visitors.Origin}/report/{await tests.Reports.MakeAsync(own.Id.Value)}",
            test.ToString(System.Globalization.CultureInfo.InvariantCulture)
        );
        return Redirect(Screen.Address("keep") + $"#report-{test}");
    }

    [Logged("Withdrew a report")]
    public async Task<IActionResult> OnPostWithdrawAsync(long test, long link)
    {
        if (Own(test) is not { } own)
            return NotFound();
        await tests.Reports.WithdrawAsync(own.Id.Value, link);
        Done = "Link turned off.";
        return Redirect(Screen.Address("keep") + $"#report-{test}");
    }

    private SplitTest? Own(long test) =>
        tests.Find(new(test)) is { } found && found.Step == Screen.Step.Id ? found : null;

    private void LoadRule()
    {
        LoadHistory();
        if (Screen.Testing is not { } running)
            return;
        Rule = RuleForm.From(running.Test.Rule);
        if (running.Test.Rule.By == KeepBy.Hand)
            return;
        var days = (clock.Local(clock.Now) - clock.Local(running.Test.StartedAt)).TotalDays;
        var decision = running.Test.Rule.Decide(running.Result, running.Money, running.Test.Weights, days, clock.Today);
        var why = RuleWording.Why(decision, running.Result.Facts);
        Decides = decision switch
        {
            RuleDecision.Wait => why,
            RuleDecision.Keep keep => $"{keep.Page.Letter} will be kept at the next full hour: {why}",
            _ => $"A page goes out of rotation at the next full hour: {why}",
        };
    }

    private void LoadHistory()
    {
        // Nothing of it was sent: what the rule says, else what is proposed.
        if (Check.Share == 0)
            Check = CheckForm.From(Screen.Testing?.Test.Rule.Check);
        var own = verdicts.ForStep(Screen.Step.Id);
        var gained = gains.For(own).ToDictionary(line => line.Verdict.Id);
        History =
        [
            .. own.Select(verdict => new Row(
                new(verdict, tests.Find(verdict.Test)!),
                pages.Find(verdict.Page)!.Name,
                gained.GetValueOrDefault(verdict.Id)
            )),
        ];
        Drawn = HistoryChart.From(History.Select(row => row.Line), Screen.Open);
    }
}
