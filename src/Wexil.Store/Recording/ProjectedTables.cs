namespace Wexil.Store.Recording;

/// <summary>
/// The tables that hold nothing but what the events say: a recount empties them and fills them again.
/// </summary>
public static class ProjectedTables
{
    /// <summary>By name.</summary>
    public static readonly IReadOnlyList<string> All =
    [
        "visitors",
        "enrolments",
        "step_tallies",
        "step_buckets",
        "step_days",
        "test_tallies",
        "test_buckets",
        "test_days",
        "test_silences",
        "leads",
        "source_tallies",
        "source_money",
        "apart_tallies",
        "pair_tallies",
        "left_out",
        "orders",
        "order_lines",
        "order_tests",
        "earnings",
        "money_tallies",
        "goals_met",
        "goal_tallies",
        "path_tallies",
        "segment_tallies",
        "page_buckets",
        "stays",
        "stay_tallies",
        "ad_clicks",
        "combinations",
        "combination_tallies",
    ];
}
