using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Wexil.App.Outbox;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.OptIns;

/// <summary>What becomes of a step's opt-ins: forwarded to a mail service, asked for a confirmation.</summary>
public sealed class OptInsModel(StepScreens screens, OptInStore optIns, OutboxStore outgoing, MailSender mail)
    : StepPageModel(screens)
{
    private const int MaxFields = 10;

    public override string Stage => "build";

    public bool IsSimulated => mail.IsSimulated;

    public OutboxState State => outgoing.State(Screen.Step.Id);

    [BindProperty]
    public string? ForwardTo { get; set; }

    /// <summary>A line a field: its name in our form, an equals sign, its name there.</summary>
    [BindProperty]
    public string? Fields { get; set; }

    [BindProperty]
    public bool Confirms { get; set; }

    [BindProperty]
    [MaxLength(120, ErrorMessage = "At most 120 characters.")]
    public string? Subject { get; set; }

    [BindProperty]
    [MaxLength(2000, ErrorMessage = "At most 2,000 characters.")]
    public string? Words { get; set; }

    public void OnGet()
    {
        var settings = optIns.ForStep(Screen.Step.Id);
        (ForwardTo, Fields, Confirms, Subject, Words) = (
            settings.ForwardTo?.AbsoluteUri,
            string.Join('\n', settings.Fields.Select(field => $"{field.Key} = {field.Value}")),
            settings.Confirms,
            settings.Subject,
            settings.Words
        );
    }

    [Logged("Changed what happens after an opt-in")]
    public async Task<IActionResult> OnPostAsync()
    {
        Uri? address = null;
        if (
            !string.IsNullOrWhiteSpace(ForwardTo)
            && !(Uri.TryCreate(ForwardTo.Trim(), UriKind.Absolute, out address) && address.Scheme is "http" or "https")
        )
            ModelState.AddModelError(
                nameof(ForwardTo),
                "Enter the address that the service’s form is sent to, beginning with https://."
            );
        var fields = ReadFields();
        if (fields.Count > MaxFields)
            ModelState.AddModelError(nameof(Fields), $"At most {MaxFields} fields.");
        if (address is not null && !fields.ContainsKey("email"))
            ModelState.AddModelError(nameof(Fields), "The e-mail field is missing: email = …");
        if (Confirms && string.IsNullOrWhiteSpace(Subject))
            ModelState.AddModelError(nameof(Subject), "Enter a subject.");
        if (!ModelState.IsValid)
            return Page();
        await optIns.SetAsync(
            Screen.Step.Id,
            new(address, fields, Confirms, Subject?.Trim() ?? "", Words?.Trim() ?? "")
        );
        Done = "Saved. Applies to opt-ins from now on.";
        return Redirect(Screen.Address("opt-ins"));
    }

    private Dictionary<string, string> ReadFields()
    {
        var fields = new Dictionary<string, string>();
        var lines = (Fields ?? "").Split('\n', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries);
        foreach (var line in lines)
        {
            if (line.Split('=', StringSplitOptions.TrimEntries) is [{ Length: > 0 } ours, { Length: > 0 } theirs])
                fields[ours] = theirs;
            else
                ModelState.AddModelError(
                    nameof(Fields),
                    $"Each line needs a field here, = and its name there. Not valid: {line}"
                );
        }
        return fields;
    }

    [Logged("Had opt-ins sent again")]
    public async Task<IActionResult> OnPostAgainAsync()
    {
        await outgoing.AgainAsync(Screen.Step.Id);
        Done = "Retrying.";
        return Redirect(Screen.Address("opt-ins"));
    }
}
