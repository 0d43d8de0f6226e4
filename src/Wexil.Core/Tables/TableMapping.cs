namespace Wexil.Core.Tables;

/// <summary>How files with the same header line are read, as the owner confirmed it.</summary>
/// <param name="Kind">What the files hold, such as "sales".</param>
/// <param name="Columns">The header line.</param>
/// <param name="Fields">By field the column that holds it; a field without one has none.</param>
/// <param name="Mark">Null where the files always told by themselves.</param>
/// <param name="Order">Null where the files always told by themselves.</param>
public sealed record TableMapping(
    string Kind,
    IReadOnlyList<string> Columns,
    IReadOnlyDictionary<string, string> Fields,
    DecimalMark? Mark,
    DayOrder? Order
)
{
    /// <summary>Is it about files like this one?</summary>
    public bool IsFor(string kind, IReadOnlyList<string> columns) => Kind == kind && Columns.SequenceEqual(columns);
}
