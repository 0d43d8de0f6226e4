using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.SplitTests;

namespace Wexil.Demo;

/// <summary>
/// A letter's opt-in page, kept two weeks ago with a check: some visitors go on seeing the page that it replaced.
/// </summary>
internal static class SpringLetter
{
    private const string Headline = "Your free balcony planting calendar</h1>",
        Text = "What to sow on a small balcony, week by week. One page to pin up, sent to you at once.";

    private static readonly CheckPlan Check = new(15, 4, TakesBack: true);

    public static async Task MakeAsync(DemoBuilder demo, DemoVisitors visitors)
    {
        var (began, kept) = (demo.Now.AddDays(-36), demo.Now.AddDays(-15));
        var funnel = await demo.At(began).Funnels.CreateAsync("Spring letter");
        var letter = await demo.StepAsync(funnel, StepKind.OptIn, "Spring letter", "letter");
        var subscribed = await demo.StepAsync(funnel, StepKind.ThankYou, "Subscribed", "subscribed");
        var hello = await demo.PageAsync(began, letter, "Hello from the balcony", Page("Hello from the balcony"));
        await demo.PageAsync(began, subscribed, "Subscribed", DemoBuilder.Source("inbox.html"));
        var sowing = await demo.CloneAsync(began, hello, "What to sow this Sunday", _ =>
            Page("What to sow this Sunday")
        );
        var test = await demo.StartAsync(
            began,
            new(
                letter.Id,
                subscribed.Id,
                "Letter headline",
                "Readers subscribe for a use, not for a greeting.",
                0.25,
                0.2,
                [hello, sowing],
                Weights.Even(2)
            )
        );
        (PageId, double)[] rates = [(hello, 0.26), (sowing, 0.32)];
        visitors.Come(letter, began, kept, 180, rates, [(subscribed, 1)], sources: [("", 1)]);
        await visitors.RecordedAsync();
        await demo.KeepAsync(kept, test, sowing, Check);
        visitors.Come(letter, kept, demo.Now, 180, rates, [(subscribed, 1)], sources: [("", 1)]);
        await visitors.RecordedAsync();
    }

    private static string Page(string headline) =>
        DemoBuilder
            .Source("calendar.html")
            .Replace(Headline, $"{headline}</h1>", StringComparison.Ordinal)
            .Replace(
                Text,
                "A letter every Sunday: what to sow, what to pick and what to leave.",
                StringComparison.Ordinal
            );
}
