using System.Text;
using Wexil.App.Tickets;
using Wexil.Core.Common;
using Wexil.Core.Visitors;

namespace Wexil.App.Tests.Tickets;

/// <summary>What a ticket opens, and for whom it opens nothing.</summary>
public sealed class TicketTests
{
    private readonly FakeSeal _seal = new();

    [Theory]
    [InlineData(null, PreviewUse.Look)]
    [InlineData(3, PreviewUse.Inspect)]
    [InlineData(null, PreviewUse.Edit)]
    public void A_preview_opens_the_page_the_version_and_the_use_that_it_was_made_for(int? version, PreviewUse use)
    {
        var tickets = new PreviewTickets(_seal);
        Assert.Equal(new Preview(new(12), version, use), tickets.Open(tickets.Issue(new(12), use, version)));
    }

    [Fact]
    public void A_try_out_opens_as_whom_and_on_which_page()
    {
        var tickets = new TryTickets(_seal);
        var setup = new TryAs(new(4), new(Device.Phone, "DE", "de", true, "ads", true), new(7));
        Assert.Equal(setup, tickets.Open(tickets.Issue(setup)));
        Assert.Null(tickets.Open(tickets.Issue(setup with { Page = null }))!.Page);
    }

    [Fact]
    public void A_confirmation_opens_the_step_and_the_address_whatever_the_address_holds()
    {
        var tickets = new ConfirmTickets(_seal);
        Assert.Equal(
            ((StepId, string)?)(new StepId(9), "eve+a=b@balcony.example"),
            tickets.Open(tickets.Issue(new(9), "eve+a=b@balcony.example"))
        );
    }

    [Fact]
    public void A_ticket_for_one_purpose_opens_nothing_for_another()
    {
        var preview = new PreviewTickets(_seal).Issue(new(12), PreviewUse.Edit);
        var own = new OwnDeviceTickets(_seal).Issue(TimeSpan.FromMinutes(1));
        Assert.Null(new TryTickets(_seal).Open(preview));
        Assert.Null(new ConfirmTickets(_seal).Open(own));
        Assert.Null(new PreviewTickets(_seal).Open(own));
        Assert.False(new OwnDeviceTickets(_seal).IsValid(preview));
        Assert.True(new OwnDeviceTickets(_seal).IsValid(own));
    }

    [Fact]
    public void Each_kind_opens_for_as_long_as_it_says()
    {
        var (previews, tries, confirms) = (new PreviewTickets(_seal), new TryTickets(_seal), new ConfirmTickets(_seal));
        var own = new OwnDeviceTickets(_seal);
        var preview = previews.Issue(new(1), PreviewUse.Look);
        var attempt = tries.Issue(new(new(1), Traits.Unknown, null));
        var confirmation = confirms.Issue(new(1), "a@b.example");
        var device = own.Issue(TimeSpan.FromMinutes(5));

        _seal.Now = TimeSpan.FromMinutes(5);
        Assert.False(own.IsValid(device));
        Assert.NotNull(tries.Open(attempt));
        _seal.Now = TimeSpan.FromHours(1);
        Assert.Null(tries.Open(attempt));
        Assert.NotNull(previews.Open(preview));
        _seal.Now = TimeSpan.FromHours(12);
        Assert.Null(previews.Open(preview));
        Assert.NotNull(confirms.Open(confirmation));
        _seal.Now = TimeSpan.FromDays(30);
        Assert.Null(confirms.Open(confirmation));
    }

    /// <summary>Signs by writing down the purpose and the end.</summary>
    private sealed class FakeSeal : ITicketSeal
    {
        public TimeSpan Now { get; set; }

        public string Seal(string purpose, string text, TimeSpan life) =>
            Convert.ToHexString(Encoding.UTF8.GetBytes($"{purpose}|{(Now + life).Ticks}|{text}"));

        public string? Open(string purpose, string ticket) =>
            Encoding.UTF8.GetString(Convert.FromHexString(ticket)).Split('|', 3) is [var of, var end, var text]
            && of == purpose
            && Now.Ticks < long.Parse(end, System.Globalization.CultureInfo.InvariantCulture)
                ? text
                : null;
    }
}
