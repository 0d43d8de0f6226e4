using System.Runtime.InteropServices;
using Microsoft.Data.Sqlite;
using Wexil.Core.Common;

namespace Wexil.Store.Recording.Projection;

/// <summary>Sums up how many visitors reached each step, and whom a step's link served without counting.</summary>
internal sealed class StepProjection(SqliteConnection connection) : IDisposable
{
    private readonly PreparedStatement _total = new(
        connection,
        "INSERT INTO step_tallies VALUES (?1, ?2) ON CONFLICT DO UPDATE SET visitors = visitors + excluded.visitors"
    );
    private readonly PreparedStatement _bucket = new(
        connection,
        "INSERT INTO step_buckets VALUES (?1, ?2, ?3) ON CONFLICT DO UPDATE SET visitors = visitors + excluded.visitors"
    );
    private readonly PreparedStatement _day = new(
        connection,
        "INSERT INTO step_days VALUES (?1, ?2, ?3) ON CONFLICT DO UPDATE SET visitors = visitors + excluded.visitors"
    );
    private readonly PreparedStatement _leftOut = new(
        connection,
        "INSERT INTO left_out VALUES (?1, ?2, ?3) ON CONFLICT DO UPDATE SET visits = visits + excluded.visits"
    );
    private readonly PreparedStatement _show = new(connection, "INSERT OR IGNORE INTO shown_pages VALUES (?1)");
    private readonly HashSet<long> _shown =
    [
        .. connection.Rows("SELECT page_id FROM shown_pages", row => row.GetInt64(0)),
    ];
    private readonly HashSet<long> _newlyShown = [];
    private readonly Dictionary<(long Step, long Bucket), long> _reached = [];
    private readonly Dictionary<(long Step, long Reason), long> _out = [];

    /// <summary>The steps whose counts a batch changed.</summary>
    public HashSet<StepId> Touched { get; } = [];

    public void Clear()
    {
        _newlyShown.Clear();
        _reached.Clear();
        _out.Clear();
        Touched.Clear();
    }

    /// <summary>A page was served to somebody: it is never deleted from now on.</summary>
    public void Show(PageId page)
    {
        if (page.Value > 0 && !_shown.Contains(page.Value))
            _newlyShown.Add(page.Value);
    }

    /// <summary>What the batch wrote is in the file.</summary>
    public void Keep() => _shown.UnionWith(_newlyShown);

    public void Reached(StepId step, long bucket)
    {
        Touched.Add(step);
        CollectionsMarshal.GetValueRefOrAddDefault(_reached, (step.Value, bucket), out _)++;
    }

    public void LeftOut(StepId step, long reason)
    {
        Touched.Add(step);
        CollectionsMarshal.GetValueRefOrAddDefault(_out, (step.Value, reason), out _)++;
    }

    public void Write()
    {
        foreach (var page in _newlyShown)
            _show.Bind(1, page).Run();
        foreach (var ((step, bucket), visitors) in _reached)
        {
            _total.Bind(1, step).Bind(2, visitors).Run();
            _bucket.Bind(1, step).Bind(2, bucket).Bind(3, visitors).Run();
            _day.Bind(1, step).Bind(2, TimeBucket.DayOf(bucket)).Bind(3, visitors).Run();
        }
        foreach (var ((step, reason), visits) in _out)
            _leftOut.Bind(1, step).Bind(2, reason).Bind(3, visits).Run();
    }

    public void Dispose()
    {
        _total.Dispose();
        _bucket.Dispose();
        _day.Dispose();
        _leftOut.Dispose();
        _show.Dispose();
    }
}
