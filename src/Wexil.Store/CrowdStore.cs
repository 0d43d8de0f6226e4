using Wexil.Core.Common;
using Wexil.Core.Results;
using Wexil.Core.Statistics;
using Wexil.Core.Visitors;

namespace Wexil.Store;

/// <summary>What a crowd had of a phase on a page.</summary>
/// <param name="Money">In the owner's currency.</param>
public sealed record CrowdPart(PhaseId Phase, PageId Page, Arm Arm, RevenueSample Money)
{
    /// <summary>Two crowds that have no visitor in common, on the same page in the same phase.</summary>
    public static CrowdPart operator +(CrowdPart one, CrowdPart other) =>
        one with
        {
            Arm = one.Arm + other.Arm,
            Money = one.Money + other.Money,
        };
}

/// <summary>Reads what visitors had who share the number of a network or of a browser.</summary>
public sealed class CrowdStore(Database database)
{
    /// <summary>Each number of both kinds that visitors of a test have.</summary>
    public IReadOnlyList<CrowdTally> Crowds(TestId test) =>
        database.Read(c =>
            c.Rows(
                """
                SELECT kind, value, sum(visitors), sum(conversions)
                FROM segment_tallies
                WHERE test_id = $1 AND kind IN (6, 7) AND value > 0
                GROUP BY kind, value
                """,
                row => new CrowdTally(
                    (CrowdKind)row.GetInt32(0),
                    row.GetInt32(1),
                    new(row.GetInt64(2), row.GetInt64(3))
                ),
                test.Value
            )
        );

    /// <summary>What a crowd had, by phase and page.</summary>
    public IReadOnlyList<CrowdPart> Parts(TestId test, CrowdTally crowd) =>
        database.Read(c =>
            c.Rows(
                """
                SELECT phase_id, page_id, visitors, conversions, earned, squares
                FROM segment_tallies
                WHERE test_id = $1 AND kind = $2 AND value = $3
                """,
                row => new CrowdPart(
                    new(row.GetInt64(0)),
                    new(row.GetInt64(1)),
                    new(row.GetInt64(2), row.GetInt64(3)),
                    new(row.GetInt64(2), row.GetInt64(4), row.GetDouble(5))
                ),
                test.Value,
                (int)crowd.Kind,
                crowd.Number
            )
        );
}
