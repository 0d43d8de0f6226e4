using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Web.Mail;

namespace Wexil.Web.Studio.OptIns;

/// <summary>Mail that was simulated.</summary>
public sealed class SimulatedOutboxModel(MailSender mail) : PageModel
{
    public IReadOnlyList<OutboxLetter> Letters { get; } = mail.Simulated();

    public bool IsSimulated => mail.IsSimulated;
}
