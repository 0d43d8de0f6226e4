using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Store;

namespace Wexil.App.Tests.Wording;

/// <summary>What is said of what a person did.</summary>
public sealed class ActivityWordingTests
{
    private static readonly DateTimeOffset At = new(2026, 11, 9, 8, 0, 0, TimeSpan.Zero);

    public static TheoryData<Activity, string> Said =>
        new()
        {
            { new Activity.OptedIn(At, "Calendar"), "Opted in on “Calendar”" },
            { new Activity.OptedIn(At, "“Calendar” B"), "Opted in on “Calendar” B" },
            { new Activity.ConfirmedAddress(At), "Confirmed the e-mail address" },
            { new Activity.ShownPage(At, "Calendar", "Headline"), "Was shown “Calendar” in the test “Headline”" },
            { new Activity.Converted(At, "Headline"), "Converted in “Headline”" },
            { Bought("Kit", 4900, 0), "Bought Kit for $49.00 (order L-1)" },
            { Bought("Kit", 4900, 4900), "Bought Kit for $49.00 (order L-1), $49.00 refunded" },
            {
                Bought("Kit", 4900, 5000),
                "Bought Kit for $49.00 (order L-1), $50.00 refunded, $1.00 more than was paid"
            },
            { Bought("", 0, 4900), "Order L-1: $49.00 refunded, but no sale is known yet" },
            { Bought("", 4900, 900), "Bought something for $49.00 (order L-1), $9.00 refunded" },
            { new Activity.TakenIn(At), "Imported from a file" },
        };

    [Theory]
    [MemberData(nameof(Said))]
    public void Each_activity_has_its_sentence(Activity activity, string sentence) =>
        Assert.Equal(sentence, ActivityWording.Say(activity));

    private static Activity Bought(string product, long sold, long refunded) =>
        new Activity.Bought(At, "L-1", product, Currency.Default, new(sold, refunded));
}
