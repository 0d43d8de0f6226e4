using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Core.Splits;

namespace Wexil.Store;

/// <summary>Reads what the visitors' side answers from.</summary>
public sealed class RouteStore(Database database)
{
    public RouteTable Load() => database.Read(c =>
    {
        var funnels = c.Rows($"SELECT {FunnelStore.StepColumns} FROM steps ORDER BY funnel_id, position", FunnelStore.MapStep).GroupBy(step => step.Funnel).ToArray();
        var stored = c.Rows("SELECT id, step_id, slug, revision, outside, indexed FROM pages ORDER BY id", row => new RoutePage(
            new(row.GetInt64(0)), new(row.GetInt64(1)), row.GetString(2), row.GetInt32(3), row.TextOrNull(4) is { } outside ? new Uri(outside) : null)
        {
            IsIndexed = row.GetBoolean(5),
        });
        var pages = Wired(stored, funnels).ToDictionary(page => page.Id);

        var testPages = c.Rows("SELECT test_id, page_id FROM test_pages ORDER BY test_id, position", row => (Test: row.GetInt64(0), Page: new PageId(row.GetInt64(1))))
            .ToLookup(row => row.Test, row => pages[row.Page]);
        // The newest test of a step, with its newest phase: running, or decided and still able to be taken up again.
        var tests = c.Rows(
            """
            SELECT t.id, t.step_id, t.decided_at IS NULL, p.id, p.weights FROM tests t JOIN phases p ON p.test_id = t.id
            WHERE t.id = (SELECT max(id) FROM tests n WHERE n.step_id = t.step_id) AND p.id = (SELECT max(id) FROM phases n WHERE n.test_id = t.id)
            """,
            row => (Step: new StepId(row.GetInt64(1)), Test: new RouteTest(
                new(row.GetInt64(0)), row.GetBoolean(2) ? new PhaseId(row.GetInt64(3)) : null, [.. testPages[row.GetInt64(0)]], Weights.Parse(row.GetString(4)), 0)))
            .ToDictionary(row => row.Step, row => row.Test);

        var steps = funnels.SelectMany(funnel =>
        {
            var inOrder = funnel.ToArray();
            return inOrder.Select(step => new RouteStep(
                step.Id, step.Slug, step.Page is { } page ? pages[page] : null, tests.GetValueOrDefault(step.Id),
                FunnelPath.Yes(inOrder, step)?.Slug, FunnelPath.No(inOrder, step)?.Slug, step.IsArchived ? step.Forward : null));
        }).ToArray();
        return new RouteTable(steps, pages.Values);
    });

    /// <summary>Each page with the link of its step and with the tills of its funnel.</summary>
    private static IEnumerable<RoutePage> Wired(List<RoutePage> pages, IGrouping<FunnelId, Step>[] funnels)
    {
        var byStep = pages.ToLookup(page => page.Step);
        foreach (var steps in funnels)
        {
            var tills = Tills(steps, step => byStep[step.Id].Select(page => page.Outside)).ToArray();
            foreach (var step in steps)
                foreach (var page in byStep[step.Id]) yield return Wired(page, step.Slug, step.Kind == StepKind.Checkout ? [] : tills);
        }
    }

    private static RoutePage Wired(RoutePage page, string link, string[] tills) => page with { Link = link, Tills = tills, WiringKey = string.Join('\n', [link, .. tills]) };

    /// <summary>The addresses where a funnel takes money.</summary>
    public static IEnumerable<string> Tills(IEnumerable<Step> steps, Func<Step, IEnumerable<Uri?>> addresses) =>
        steps.Where(step => step.Kind == StepKind.Checkout)
            .SelectMany(step => addresses(step).Where(address => address is not null).Select(address => Wiring.Key(address!.AbsoluteUri)).Prepend($"/go/{step.Slug}"));
}
