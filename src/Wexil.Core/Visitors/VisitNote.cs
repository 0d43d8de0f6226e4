using System.Globalization;

namespace Wexil.Core.Visitors;

/// <summary>
/// What an event remembers of a visit besides who, when and where, as a short text: seven letters, two for the crowd
/// where it is known, then the source's tag, and behind a space each the network's click and its cost.
/// </summary>
public readonly record struct VisitNote(
    Device Device,
    string Country,
    string Language,
    bool IsReturning,
    ExclusionReason? Exclusion,
    string Source
)
{
    private const int Fixed = 7,
        WithCrowd = 9;
    private const string Unknown = "--";

    /// <summary>The click of the ad network that sent the visitor.</summary>
    public AdClick? Click { get; init; }

    /// <summary>The visitor's network and browser, as far as they are known.</summary>
    public Crowd Crowd { get; init; }

    /// <summary>What an event keeps of a visit.</summary>
    public static VisitNote From(Traits traits, ExclusionReason? apart = null) =>
        new(traits.Device, traits.Country, traits.Language, traits.IsReturning, apart, traits.Source)
        {
            Click = traits.Click,
            Crowd = traits.Crowd,
        };

    /// <summary>
    /// Reads what <see cref="ToString"/> wrote; a text of an earlier time, which is none, says nothing.
    /// </summary>
    public static VisitNote Parse(string? text)
    {
        if (text is null || text.Length < Fixed)
            return new(Device.Desktop, "", "", false, null, "");
        var device = text[0] switch
        {
            'p' => Device.Phone,
            't' => Device.Tablet,
            _ => Device.Desktop,
        };
        // Capitals say that two letters for the crowd follow.
        var hasCrowd = text[5] is 'R' or 'N';
        var (source, click) = (text[(hasCrowd ? WithCrowd : Fixed)..], (AdClick?)null);
        if (source.IndexOf(' ', StringComparison.Ordinal) is >= 0 and var end)
        {
            var cost = source.LastIndexOf(' ');
            click = new(
                source[(end + 1)..cost],
                long.Parse(source.AsSpan(cost + 1), NumberStyles.None, CultureInfo.InvariantCulture)
            );
            source = source[..end];
        }
        return new(
            device,
            Pair(text, 1),
            Pair(text, 3),
            text[5] is 'r' or 'R',
            text[6] == '-' ? null : (ExclusionReason)text[6],
            source
        )
        {
            Click = click,
            Crowd = hasCrowd ? Crowd.Parse(text.AsSpan(Fixed)) : default,
        };
    }

    /// <summary>As stored: seven letters, then the source’s tag and the click, where there are any.</summary>
    public override string ToString() =>
        Click is { } click
            ? string.Create(CultureInfo.InvariantCulture, $"{Short()} {click.Id} {click.Cost}")
            : Short();

    private string Short()
    {
        var start = Crowd == default ? Fixed : WithCrowd;
        return string.Create(start + Source.Length, this, (text, note) =>
        {
            text[0] = note.Device switch
            {
                Device.Phone => 'p',
                Device.Tablet => 't',
                _ => 'd',
            };
            (note.Country.Length == 2 ? note.Country : Unknown).CopyTo(text[1..]);
            (note.Language.Length == 2 ? note.Language : Unknown).CopyTo(text[3..]);
            text[5] = note.IsReturning ? 'r' : 'n';
            text[6] = note.Exclusion is { } apart ? (char)apart : '-';
            if (note.Crowd != default)
            {
                text[5] = char.ToUpperInvariant(text[5]);
                note.Crowd.ToString().CopyTo(text[Fixed..]);
            }
            note.Source.CopyTo(text[^note.Source.Length..]);
        });
    }

    private static string Pair(string text, int at) => text.AsSpan(at, 2) is Unknown ? "" : text.Substring(at, 2);
}
