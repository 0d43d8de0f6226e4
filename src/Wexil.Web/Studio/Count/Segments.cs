using Wexil.App.Results;
using Wexil.Core.Results;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Count;

/// <summary>Reads the segments of a test and gives them their names.</summary>
public sealed class Segments(TallyStore tallies, SourceStore sources)
{
    public static IReadOnlyList<(SegmentKind Kind, string Words)> Kinds { get; } =
    [
        (SegmentKind.Device, "Device"),
        (SegmentKind.Source, "Source"),
        (SegmentKind.Country, "Country"),
        (SegmentKind.Returning, "New or returning"),
        (SegmentKind.Weekday, "Weekday"),
    ];

    public SegmentTable<Arm> For(StepScreen screen, TestReading reading, SegmentKind kind)
    {
        var isLess = reading.Main is { Goal.LessIsBetter: true };
        var segments = Read(screen, reading, kind, tally =>
            isLess ? new Arm(tally.Arm.Visitors, tally.Arm.Visitors - tally.Arm.Conversions) : tally.Arm
        );
        return segments.Length == 0
            ? new([], 0)
            : SegmentTable.FromRates(segments, reading.Result.Facts.Control, reading.Test.SmallestLift);
    }

    /// <summary>The same by what each visitor brought.</summary>
    public SegmentTable<RevenueSample> Money(StepScreen screen, TestReading reading, SegmentKind kind)
    {
        var segments = Read(screen, reading, kind, tally => tally.Revenue);
        return segments.Length == 0
            ? new([], 0)
            : SegmentTable.FromMoney(segments, reading.Result.Facts.Control, reading.Test.SmallestLift);
    }

    private Segment<T>[] Read<T>(StepScreen screen, TestReading reading, SegmentKind kind, Func<SegmentTally, T> what)
        where T : struct
    {
        var names =
            kind == SegmentKind.Source
                ? sources.ForFunnel(screen.Funnel.Id).ToDictionary(source => source.Id.Value, source => source.Name)
                : [];
        return
        [
            .. tallies
                .Segments(reading.Test.Id, kind)
                .GroupBy(tally => tally.Value)
                .Select(group =>
                {
                    var sums = group.ToDictionary(tally => (tally.Phase, tally.Page), what);
                    return new Segment<T>(
                        Name(kind, group.Key, names),
                        [
                            .. reading.Phases.Select(phase =>
                                (IReadOnlyList<T>)
                                    [.. reading.Test.Pages.Select(page => sums.GetValueOrDefault((phase.Id, page)))]
                            ),
                        ]
                    );
                }),
        ];
    }

    private static string Name(SegmentKind kind, long value, Dictionary<long, string> sources) =>
        kind switch
        {
            SegmentKind.Device => ((Device)value).ToString(),
            SegmentKind.Returning => value == 0 ? "New" : "Returning",
            SegmentKind.Weekday => ((DayOfWeek)value).ToString(),
            SegmentKind.Country => VisitorTraits.CountryOf(value) is { Length: 2 } code
                ? Names.Country(code)
                : "Not known",
            _ => value switch
            {
                0 => "No source",
                SourceStore.Rest => "Others",
                _ => sources.GetValueOrDefault(value, "Deleted source"),
            },
        };
}
