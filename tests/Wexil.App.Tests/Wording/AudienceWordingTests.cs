using Wexil.App.Wording;
using Wexil.Core.Targeting;
using Wexil.Core.Visitors;

namespace Wexil.App.Tests.Wording;

/// <summary>Who takes part, and why somebody does not.</summary>
public sealed class AudienceWordingTests
{
    private static readonly Audience Everyone = Audience.Everyone;
    private static readonly AddressRule Staff = new(false, "staff", RuleKind.EqualTo, "1"),
        Spring = new(true, "utm_campaign", RuleKind.Contains, "spring"),
        Any = new(true, "gift", RuleKind.Present),
        Numbered = new(true, "n", RuleKind.Matches, "^[0-9]+$");

    public static TheoryData<Audience, string> Audiences =>
        new()
        {
            { Everyone, "Everyone takes part." },
            {
                new(
                    [Device.Phone, Device.Tablet],
                    new(["DE", "AT"], true),
                    VisitKind.First,
                    IncludeExcludeList.All,
                    IncludeExcludeList.All,
                    [Staff]
                ),
                "Phones and tablets on their first visit from everywhere except Germany and Austria take part; "
                    + "excluded when the address has"
                    + " staff=1."
            },
            { Everyone with { Visits = VisitKind.Return }, "Returning visitors take part." },
            { Everyone with { Visits = VisitKind.First }, "Visitors on their first visit take part." },
            {
                Everyone with
                {
                    Devices = [Device.Desktop],
                    Visits = VisitKind.Return,
                },
                "Desktop computers of returning visitors take part."
            },
            {
                Everyone with
                {
                    Sources = new(["forum", "letter", "ads"], false),
                    Languages = new(["de"], false),
                },
                "Everyone reading in German sent by forum, letter or ads takes part."
            },
            {
                Everyone with
                {
                    Rules = [Spring, Any, Numbered],
                },
                "Everyone takes part, when the address has utm_campaign containing “spring”, gift or n "
                    + "matching ^[0-9]+$."
            },
        };

    [Theory]
    [MemberData(nameof(Audiences))]
    public void An_audience_reads_as_a_sentence(Audience audience, string sentence) =>
        Assert.Equal(sentence, AudienceWording.Say(audience));

    public static TheoryData<Audience, Traits, string, string> Visitors =>
        new()
        {
            { Everyone, new(Device.Phone, "US"), "", "all conditions are met" },
            { Everyone with { Rules = [Staff] }, new(Device.Phone, "US"), "?staff=1", "the address has staff=1" },
            { Everyone with { Rules = [Any] }, new(Device.Phone, "US"), "?gift=1", "the address has gift" },
            { Everyone with { Rules = [Any, Spring] }, new(Device.Phone, "US"), "", LacksBoth },
            {
                Everyone with
                {
                    Devices = [Device.Phone],
                },
                new(Device.Desktop, "US"),
                "",
                "desktop computers do not take part"
            },
            { Everyone with { Devices = [Device.Phone] }, new(Device.Tablet, "US"), "", "tablets do not take part" },
            {
                Everyone with
                {
                    Countries = new(["DE"], true),
                },
                new(Device.Phone, "DE"),
                "",
                "Germany does not take part"
            },
            { Everyone with { Countries = new(["DE"], false) }, new(Device.Phone, ""), "", "the country is not known" },
            { Everyone with { Sources = new(["ads"], false) }, new(Device.Phone, "US"), "", "the link has no source" },
            {
                Everyone with
                {
                    Languages = new(["de"], false),
                },
                new(Device.Phone, "US"),
                "",
                "the language is not known"
            },
            {
                Everyone with
                {
                    Visits = VisitKind.Return,
                },
                new(Device.Phone, "US"),
                "",
                "only returning visitors take part"
            },
            {
                Everyone with
                {
                    Visits = VisitKind.First,
                },
                new(Device.Phone, "US") { IsReturning = true },
                "",
                "only first visits take part"
            },
        };

    private const string LacksBoth = "the address does not have gift or utm_campaign containing “spring”";

    [Theory]
    [MemberData(nameof(Visitors))]
    public void Whoever_is_judged_learns_why(Audience audience, Traits traits, string query, string why) =>
        Assert.Equal(why, AudienceWording.Why(audience.Judge(traits, query), audience, traits));
}
