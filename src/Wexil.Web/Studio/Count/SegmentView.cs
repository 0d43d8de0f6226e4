using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Results;
using Wexil.Core.Statistics;

namespace Wexil.Web.Studio.Count;

/// <summary>A cell as it is written: the value, and the count or the lift below it.</summary>
/// <param name="Stands">The difference holds after allowing for all comparisons of the table.</param>
public sealed record SegmentViewCell(string Value, string Below, bool Stands);

/// <summary>A segment and what each page had in it.</summary>
public sealed record SegmentViewRow(string Name, long Visitors, IReadOnlyList<SegmentViewCell> Cells, bool IsSmall);

/// <summary>A table of segments in words, by rate or by money.</summary>
/// <param name="Warning">What has to be kept in mind when one reads it.</param>
public sealed record SegmentView(IReadOnlyList<SegmentViewRow> Rows, string Warning)
{
    public static readonly SegmentView None = new([], "");

    public static SegmentView From(SegmentTable<Arm> table, string many) =>
        From(
            table,
            $"{many} per page",
            Format.Percent,
            arm => $"{Format.Count(arm.Conversions)} of {Format.Count(arm.Visitors)}",
            arm => arm.Visitors
        );

    public static SegmentView From(SegmentTable<RevenueSample> table, Currency currency) =>
        From(
            table,
            "buyers per page with similar orders",
            mean => currency.Show((decimal)mean),
            revenue => $"{currency.Show((decimal)revenue.Sum)} from {Format.Count(revenue.Visitors)}",
            revenue => revenue.Visitors
        );

    private static SegmentView From<T>(
        SegmentTable<T> table,
        string least,
        Func<double, string> value,
        Func<T, string> counted,
        Func<T, long> visitors
    ) =>
        new(
            [
                .. table.Rows.Select(row => new SegmentViewRow(
                    row.Name,
                    row.Visitors,
                    [
                        .. row.Cells.Select(cell => new SegmentViewCell(
                            visitors(cell.Sum) == 0 ? "–" : value(cell.Value),
                            row.IsSmall ? counted(cell.Sum)
                                : cell.Lift is { } lift ? Format.Lift(lift)
                                : "control",
                            cell.P <= SegmentTable.Alpha
                        )),
                    ],
                    row.IsSmall
                )),
            ],
            table.Comparisons == 0
                ? $"Every group is small: with fewer than {AlwaysValidTest.MinConversions} {least}, differences "
                    + "here are mostly luck."
                : $"{Format.Count(table.Comparisons, "comparison", "comparisons")} made. With many groups some "
                    + "differences appear by chance; highlighted results allow for that. Small groups are not "
                    + "compared."
        );
}
