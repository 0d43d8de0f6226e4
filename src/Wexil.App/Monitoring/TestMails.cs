using Wexil.App.Outbox;
using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Store;

namespace Wexil.App.Monitoring;

/// <summary>What the owner is told of tests by e-mail.</summary>
public sealed class TestMails(OwnerMail mail, SettingStore settings)
{
    private static readonly TimeSpan CrowdAgain = TimeSpan.FromDays(7);

    /// <summary>A rule kept a page, or a check ended.</summary>
    /// <param name="check">How the page is checked from then on; null for not at all.</param>
    public Task OfKeepingAsync(TestReading reading, Funnel funnel, RuleDecision.Keep keep, CheckPlan? check)
    {
        var (test, says) = (reading.Test, reading.Says);
        var ended = CheckWording.Ended(reading.Verdict, reading.Words.Many, Money) ?? says;
        var (key, subject, body) = keep switch
        {
            RuleDecision.Keep.CheckOver => (
                $"checked {test.Id.Value}",
                $"Checked: {keep.Page.Name}",
                $"The check of “{keep.Page.Name}” is over. {$"{ended.Sentence} {ended.Why}".TrimEnd()}\n"
                    + "Everyone sees it from now on."
            ),
            RuleDecision.Keep.TakenBack => (
                $"checked {test.Id.Value}",
                $"Brought back: {keep.Page.Name}",
                $"{says.Sentence} {says.Why}\nEveryone sees “{keep.Page.Name}” again from now on."
            ),
            _ => (
                $"kept {test.Id.Value}",
                $"Kept: {keep.Page.Name}",
                $"The test “{test.Name}” kept “{keep.Page.Name}” by the rule. "
                    + $"{RuleWording.Why(keep, reading.Result.Facts)}\n{Seen(reading, keep.Page, check)} "
                    + "You can undo this on Keep."
            ),
        };
        return mail.TellAsync(key, subject, $"{Where(reading, funnel)}\n{body}", Address(reading, funnel, "keep"));
    }

    /// <summary>Many of a test's visitors come from one network or one browser.</summary>
    public Task OfCrowdsAsync(CrowdAlarm alarm, Funnel funnel)
    {
        var reading = alarm.Without;
        var says = string.Join('\n', alarm.Crowds.Select(crowd => CrowdWording.Say(crowd, reading.Words)));
        return mail.TellAsync(
            $"crowd {reading.Test.Id.Value}",
            $"Problem: {reading.Test.Name}",
            $"{Where(reading, funnel)}\n{says}\nWithout them: {reading.Says.Sentence} {reading.Says.Why}",
            Address(reading, funnel, "count"),
            CrowdAgain
        );
    }

    /// <summary>A test stands otherwise than at the look before.</summary>
    /// <param name="before">How it stood; null at the first look.</param>
    /// <param name="decision">What its rule does; null while nothing can be decided.</param>
    public async Task OfChangeAsync(
        TestReading reading,
        Funnel funnel,
        TestState state,
        string? before,
        RuleDecision? decision
    )
    {
        var (test, id) = (reading.Test, reading.Test.Id.Value);
        // That a check begins is told with the page that is kept.
        if (state == TestState.Running && test.Check is null && before is null or nameof(TestState.Scheduled))
            await mail.TellAsync(
                $"started {id}",
                $"Started: {test.Name}",
                $"The test “{test.Name}” has started.\n{Where(reading, funnel)}",
                Address(reading, funnel, "count")
            );
        // Of what its rule keeps in this very hour it is told that it was kept.
        if (decision is RuleDecision.Keep)
            return;
        await OfVerdictAsync(reading, funnel, state, before, decision);
    }

    private Task OfVerdictAsync(
        TestReading reading,
        Funnel funnel,
        TestState state,
        string? before,
        RuleDecision? decision
    )
    {
        var (test, id, verdict) = (reading.Test, reading.Test.Id.Value, reading.Verdict);
        var says = $"{Where(reading, funnel)}\n{reading.Says.Sentence}\n{reading.Says.Why}";
        switch (state)
        {
            case TestState.Running when verdict.Kind is VerdictKind.Problem or VerdictKind.Worse:
                return mail.TellAsync(
                    $"problem {id}",
                    $"Problem: {test.Name}",
                    says,
                    Address(reading, funnel, "count")
                );
            case TestState.Running when verdict.Keep is not null:
                var waits = test.Rule.By == KeepBy.Hand ? "" : RuleWording.Why(decision!, reading.Result.Facts);
                var next = waits.Length == 0 ? "" : $"\nIts rule waits: {waits}";
                return mail.TellAsync(
                    $"ready {id}",
                    $"Ready: {test.Name}",
                    says + next,
                    Address(reading, funnel, "keep")
                );
            case TestState.Over when before?.StartsWith(nameof(TestState.Over), StringComparison.Ordinal) != true:
                return mail.TellAsync(
                    $"ended {id}",
                    $"Ended: {test.Name}",
                    $"The test “{test.Name}” has reached its end date. {reading.Says.Sentence}\n"
                        + Where(reading, funnel),
                    Address(reading, funnel, "keep")
                );
            default:
                return Task.CompletedTask;
        }
    }

    /// <summary>Where a test is, so that a mail can be told from those of other tests with such a name.</summary>
    public static string Where(TestReading reading, Funnel funnel) =>
        $"Test “{reading.Test.Name}”, step “{reading.Step.Name}”, funnel “{funnel.Name}”.";

    /// <summary>Says who sees a kept page from now on.</summary>
    /// <param name="check">Null where it is not checked.</param>
    public static string Seen(TestReading reading, TestPage kept, CheckPlan? check) =>
        check is null || kept.Id == reading.Result.Control.Page.Id
            ? "Everyone sees it from now on."
            : $"{100 - check.Share}% of the visitors see it from now on; for "
                + $"{Format.Count(check.Weeks, "week", "weeks")}, {check.Share}% go on seeing "
                + $"“{reading.Result.Control.Page.Name}”, so that its gain is checked.";

    private static string Address(TestReading reading, Funnel funnel, string stage) =>
        $"/f/{funnel.Slug}/{reading.Step.Slug}/{stage}";

    private string Money(double amount) => settings.Currency.Show((decimal)amount);
}
