using Wexil.App.Results;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.SplitTests;
using Wexil.Store;

namespace Wexil.Web.Visitors.Documents;

/// <summary>All that a report of a test shows.</summary>
/// <param name="Verdict">That which ended the test; null while it runs.</param>
/// <param name="Money">By page, in order; empty where nobody bought anything.</param>
/// <param name="Changes">The oldest first.</param>
/// <param name="History">The tests of the step so far; null before the first verdict.</param>
/// <param name="Zone">The owner's time zone by name.</param>
public sealed record ReportView(
    TestReading Reading,
    string Funnel,
    StoredVerdict? Verdict,
    IReadOnlyList<PageMoney> Money,
    IReadOnlyList<TestChange> Changes,
    Currency Currency,
    OwnerTime Time,
    string Zone,
    string? Owner,
    HistoryChart? History
)
{
    /// <summary>What was to be expected of the kept page, and what a check measured of it; empty for neither.</summary>
    public IReadOnlyList<string> Afterwards { get; init; } = [];
}
