using System.Buffers;
using System.Globalization;
using System.Runtime.CompilerServices;
using Wexil.Core.Common;
using Wexil.Core.Targeting;

namespace Wexil.Core.Funnels;

/// <summary>Which parameters of a link go on to the page behind it.</summary>
public enum CarryKind
{
    /// <summary>Every parameter goes on.</summary>
    All,

    /// <summary>All but those named.</summary>
    Except,

    /// <summary>Those named and no others.</summary>
    Only,

    /// <summary>No parameter goes on.</summary>
    None,
}

/// <summary>
/// Which parameters of a link go on to the page behind it. Some site software takes short names for its own: <c>s</c>,
/// which names the source here, starts a search on much of it.
/// </summary>
/// <param name="Names">Those named; empty with <see cref="CarryKind.All"/> and <see cref="CarryKind.None"/>.</param>
public sealed record CarriedParameters(CarryKind Kind, IReadOnlyList<string> Names)
{
    private static readonly SearchValues<char> Signs = SearchValues.Create("&=?#+%");
    private const int MaxNames = 30,
        MaxLength = 60;

    /// <summary>Every parameter goes on.</summary>
    public static readonly CarriedParameters All = new(CarryKind.All, []);

    /// <summary>What a new step does: the source is noted at the link, and its name stays there.</summary>
    public static readonly CarriedParameters Default = new(CarryKind.Except, [SourceTag.Parameter]);

    /// <summary>The part of a query that goes on, with its question mark; empty when nothing does.</summary>
    public string Select(string query)
    {
        if (Kind == CarryKind.All || query.Length <= 1)
            return query;
        if (Kind == CarryKind.None)
            return "";
        var kept = new DefaultInterpolatedStringHandler(0, 0, CultureInfo.InvariantCulture, stackalloc char[512]);
        var sign = "?";
        foreach (var part in AddressQuery.PartsOf(query))
        {
            if (IsNamed(part.Name) != (Kind == CarryKind.Only))
                continue;
            kept.AppendLiteral(sign);
            kept.AppendFormatted(part.Whole);
            sign = "&";
        }
        return kept.ToStringAndClear();
    }

    /// <summary>Names as a person typed them, with commas or spaces between, or what is wrong.</summary>
    public static (CarriedParameters? Carried, string? Problem) Check(CarryKind kind, string? typed)
    {
        if (kind is CarryKind.All or CarryKind.None)
            return (new(kind, []), null);
        string[] names =
        [
            .. (typed ?? "")
                .Split([',', ' ', ';', '\n', '\r', '\t'], StringSplitOptions.RemoveEmptyEntries)
                .Distinct(StringComparer.Ordinal),
        ];
        if (names.Length == 0)
            return (null, "Enter at least one parameter, such as s.");
        if (names.Length > MaxNames)
            return (null, $"Enter at most {MaxNames} parameters.");
        var odd = names.FirstOrDefault(name => name.Length > MaxLength || name.AsSpan().ContainsAny(Signs));
        return odd is null ? (new(kind, names), null) : (null, $"“{odd}” is not a valid parameter name.");
    }

    /// <summary>Reads what <see cref="ToString"/> wrote.</summary>
    public static CarriedParameters Parse(string stored)
    {
        var space = stored.IndexOf(' ', StringComparison.Ordinal);
        var kind = Enum.Parse<CarryKind>(space < 0 ? stored : stored[..space], ignoreCase: true);
        return new(kind, space < 0 ? [] : stored[(space + 1)..].Split(','));
    }

    /// <summary>As it is stored: the kind, and the names with commas between.</summary>
    public override string ToString() =>
        Names.Count == 0
            ? Kind.ToString().ToLowerInvariant()
            : $"{Kind.ToString().ToLowerInvariant()} {string.Join(',', Names)}";

    /// <inheritdoc/>
    public bool Equals(CarriedParameters? other) =>
        other is not null && Kind == other.Kind && Names.SequenceEqual(other.Names);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(Kind, Names.Count);

    private bool IsNamed(ReadOnlySpan<char> name)
    {
        for (var i = 0; i < Names.Count; i++)
            if (name.SequenceEqual(Names[i]))
                return true;
        return false;
    }
}
