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
    /// <param name="address">The step's, up to its stage.</param>
    public Task OfKeepingAsync(TestReading reading, RuleDecision.Keep keep, string address)
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
                    + $"{RuleWording.Why(keep, reading.Result.Facts)}\nEveryone sees it from now on. "
                    + "You can undo this on Keep."
            ),
        };
        return mail.TellAsync(key, subject, body, address + "keep");
    }

    /// <summary>Many of a test's visitors come from one network or one browser.</summary>
    public Task OfCrowdsAsync(CrowdAlarm alarm, IReadOnlyDictionary<FunnelId, Funnel> every)
    {
        var reading = alarm.Without;
        var says = string.Join('\n', alarm.Crowds.Select(crowd => CrowdWording.Say(crowd, reading.Words)));
        return mail.TellAsync(
            $"crowd {reading.Test.Id.Value}",
            $"Problem: {reading.Test.Name}",
            $"{says}\nWithout them: {reading.Says.Sentence} {reading.Says.Why}",
            $"/f/{every[reading.Step.Funnel].Slug}/{reading.Step.Slug}/count",
            CrowdAgain
        );
    }

    /// <summary>A test stands otherwise than at the look before.</summary>
    /// <param name="before">How it stood; null at the first look.</param>
    /// <param name="decision">What its rule does; null while nothing can be decided.</param>
    /// <param name="address">The step's, up to its stage.</param>
    public async Task OfChangeAsync(
        TestReading reading,
        TestState state,
        string? before,
        RuleDecision? decision,
        string address
    )
    {
        var (test, id) = (reading.Test, reading.Test.Id.Value);
        // That a check begins is told with the page that is kept.
        if (state == TestState.Running && test.Check is null && before is null or nameof(TestState.Scheduled))
            await mail.TellAsync(
                $"started {id}",
                $"Started: {test.Name}",
                $"The test “{test.Name}” has started.",
                address + "count"
            );
        // Of what its rule keeps in this very hour it is told that it was kept.
        if (decision is RuleDecision.Keep)
            return;
        await OfVerdictAsync(reading, state, before, decision, address);
    }

    private Task OfVerdictAsync(
        TestReading reading,
        TestState state,
        string? before,
        RuleDecision? decision,
        string address
    )
    {
        var (test, id, verdict) = (reading.Test, reading.Test.Id.Value, reading.Verdict);
        var says = $"{reading.Says.Sentence}\n{reading.Says.Why}";
        switch (state)
        {
            case TestState.Running when verdict.Kind is VerdictKind.Problem or VerdictKind.Worse:
                return mail.TellAsync($"problem {id}", $"Problem: {test.Name}", says, address + "count");
            case TestState.Running when verdict.Keep is not null:
                var waits = test.Rule.By == KeepBy.Hand ? "" : RuleWording.Why(decision!, reading.Result.Facts);
                var next = waits.Length == 0 ? "" : $"\nIts rule waits: {waits}";
                return mail.TellAsync($"ready {id}", $"Ready: {test.Name}", says + next, address + "keep");
            case TestState.Over when before?.StartsWith(nameof(TestState.Over), StringComparison.Ordinal) != true:
                return mail.TellAsync(
                    $"ended {id}",
                    $"Ended: {test.Name}",
                    $"The test “{test.Name}” has reached its end date. {reading.Says.Sentence}",
                    address + "keep"
                );
            default:
                return Task.CompletedTask;
        }
    }

    private string Money(double amount) => settings.Currency.Show((decimal)amount);
}
