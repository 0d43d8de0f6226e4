using System.Globalization;
using Wexil.Core.Common;

namespace Wexil.App.Tickets;

/// <summary>How the owner looks at a page in a frame.</summary>
public enum PreviewUse
{
    /// <summary>Just looks: no script runs.</summary>
    Look,

    /// <summary>Looks with our own script in the page, which outlines what differs and finds lonely words.</summary>
    Inspect,

    /// <summary>Changes the page in place.</summary>
    Edit,
}

/// <summary>What a frame may show: a page's draft, or one of its versions.</summary>
/// <param name="Version">Null for the draft.</param>
public sealed record Preview(PageId Page, int? Version, PreviewUse Use);

/// <summary>
/// Signed tickets by which a frame on the visitors' host is shown what only the owner may see. One lives half a day, so
/// that a long sitting does not end in the middle of a sentence; nothing that it opens is ever counted.
/// </summary>
public sealed class PreviewTickets(ITicketSeal seal)
{
    private const string Purpose = "preview";
    private static readonly TimeSpan Life = TimeSpan.FromHours(12);

    /// <summary>A ticket for one page; the version is null for the draft.</summary>
    public string Issue(PageId page, PreviewUse use, int? version = null) =>
        seal.Seal(
            Purpose,
            string.Create(CultureInfo.InvariantCulture, $"{page.Value}:{version ?? 0}:{(int)use}"),
            Life
        );

    /// <summary>What a ticket opens; null for one that is not ours or over.</summary>
    public Preview? Open(string ticket)
    {
        if (seal.Open(Purpose, ticket) is not { } text)
            return null;
        var parts = Array.ConvertAll(text.Split(':'), part => long.Parse(part, CultureInfo.InvariantCulture));
        return new(new(parts[0]), parts[1] == 0 ? null : (int)parts[1], (PreviewUse)parts[2]);
    }
}
