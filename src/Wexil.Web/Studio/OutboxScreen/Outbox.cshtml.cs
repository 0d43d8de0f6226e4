using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Outbox;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Studio.OutboxScreen;

/// <summary>
/// What waits to go out and what was given up, to be tried again or deleted; and mail that was simulated.
/// </summary>
public sealed class OutboxModel(OutboxStore outgoing, OptInStore optIns, SourceStore sources, MailSender mail)
    : PageModel
{
    private const int MaxCount = 100;

    /// <summary>The first hundred things that have not gone out.</summary>
    public IReadOnlyList<Waiting> Waiting { get; private set; } = [];

    public (long Waiting, long Failed) Unsent { get; private set; }

    public IReadOnlyList<OutboxLetter> Letters { get; private set; } = [];

    public bool IsSimulated => mail.IsSimulated;

    [TempData]
    public string? Done { get; set; }

    public void OnGet() =>
        (Waiting, Unsent, Letters) = (outgoing.Waiting(MaxCount), outgoing.Unsent(), mail.Simulated());

    [Logged("Had the outbox tried again")]
    public async Task<IActionResult> OnPostAgainAsync()
    {
        await outgoing.AllAgainAsync();
        Done = "Everything in the outbox is being retried.";
        return RedirectToPage();
    }

    [Logged("Deleted an item of the outbox")]
    public async Task<IActionResult> OnPostDeleteAsync(long id)
    {
        await outgoing.DeleteAsync(id);
        Done = "Deleted. It will not be sent.";
        return RedirectToPage();
    }

    [Logged("Emptied the outbox")]
    public async Task<IActionResult> OnPostEmptyAsync()
    {
        await outgoing.DeleteUnsentAsync();
        Done = "The outbox is empty.";
        return RedirectToPage();
    }

    public static string Kind(OutboxKind kind) =>
        kind switch
        {
            OutboxKind.Forward => "Opt-in",
            OutboxKind.Confirm => "Confirmation e-mail",
            OutboxKind.Postback => "Conversion",
            _ => "E-mail to you",
        };

    /// <summary>
    /// Where something goes: a person's or the owner's e-mail address, a mail service, an ad network.
    /// </summary>
    public string To(OutboxMessage what) =>
        what.Kind switch
        {
            OutboxKind.Forward => $"{optIns.ForStep(what.Step).ForwardTo?.Host ?? "no destination"}, for {what.Email}",
            OutboxKind.Postback => what.Source is { } source
            && sources.Network(source)?.Postback is { } postback
            && Uri.TryCreate(postback.Template, UriKind.Absolute, out var address)
                ? address.Host
                : "no destination",
            _ => what.Email,
        };
}
