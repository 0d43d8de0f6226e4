using System.Text;
using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Store;

namespace Wexil.App.Outbox;

/// <summary>
/// Mails to the owner, where one is named: at most one an hour about the same thing, and a digest on Monday.
/// </summary>
public sealed class OwnerMail(
    SettingStore settings,
    OutboxStore outgoing,
    LookStore looks,
    StudioAddress studio,
    TimeProvider time
)
{
    private const int DigestHour = 8;
    private static readonly TimeSpan NotWithin = TimeSpan.FromHours(1),
        Week = TimeSpan.FromDays(6);

    /// <param name="about">The same for the same thing.</param>
    /// <param name="path">Where in Studio it can be seen.</param>
    /// <param name="again">After how long the same is told again; null for an hour.</param>
    public async Task TellAsync(string about, string subject, string words, string path, TimeSpan? again = null)
    {
        if (settings.OwnerMail is not { } address || !await looks.MayTellAsync(about, again ?? NotWithin))
            return;
        await outgoing.AddMailAsync(address, subject, $"{words}\n\n{studio.Origin}{path}\n");
    }

    /// <summary>On Monday morning by the owner's clock, or at the first look after it: how every test stands.</summary>
    public async Task TellOnMondayAsync(Func<IEnumerable<TestReading>> open)
    {
        if (settings.OwnerMail is not { } address)
            return;
        var local = TimeZoneInfo.ConvertTime(time.GetUtcNow(), settings.Zone);
        if (local.DayOfWeek != DayOfWeek.Monday || local.Hour < DigestHour || !await looks.MayTellAsync("digest", Week))
            return;
        var words = new StringBuilder();
        foreach (var reading in open())
            words.Append(Digest(reading));
        await outgoing.AddMailAsync(
            address,
            "Your tests: Monday summary",
            (words.Length == 0 ? "No tests are running.\n\n" : words.ToString()) + studio.Origin + "/\n"
        );
    }

    /// <summary>
    /// How a test stands, with each challenger's confidence by the rule that is safe to look at any time.
    /// </summary>
    private static string Digest(TestReading reading)
    {
        var total = reading.Result.Total;
        var words = new StringBuilder($"{reading.Test.Name} ({reading.Step.Name}): {reading.Says.Sentence}\n");
        words.Append(
            $"{Format.Count(total.Visitors, "visitor", "visitors")}, "
                + $"{Format.Count(total.Conversions, reading.Words.One, reading.Words.Many)}. {reading.Says.Why}\n"
        );
        var isByMoney = reading.Test.Rule.OnMoney && reading.Money is not null;
        var compared = isByMoney
            ? reading.Money!.Challengers.Select(page => (page.Page, page.AgainstControl))
            : reading.Result.Challengers.Select(page => (page.Page, page.AgainstControl));
        var needed = Format.Plain(1 - reading.Result.Facts.Alpha);
        foreach (var (page, against) in compared)
        {
            var confidence = against?.Confidence is { } sure
                ? $"confidence {Format.Confidence(sure)} ({needed} needed)"
                : "too early to tell";
            words.Append($"{page.Letter} “{page.Name}” against the control: {confidence}\n");
        }
        return words.Append('\n').ToString();
    }
}
