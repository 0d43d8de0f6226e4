using System.Diagnostics;
using Wexil.Store.Recording;

namespace Wexil.Store.Tests;

/// <summary>Visitors come before screens: when the writer may project, and when it has to leave off.</summary>
public sealed class ProjectionPaceTests
{
    private readonly ProjectionPace _pace;
    private long _now = Stopwatch.Frequency;
    private bool _isWaitedFor;

    public ProjectionPaceTests() => _pace = new(() => _isWaitedFor, () => _now);

    private static long Milliseconds(double milliseconds) => (long)(milliseconds * Stopwatch.Frequency / 1000);

    private void Pass(double milliseconds) => _now += Milliseconds(milliseconds);

    private void Commit(bool isFirst = false) => _pace.Committed(isFirst);

    [Fact]
    public void A_moment_is_quiet_five_milliseconds_after_the_last_visit()
    {
        Commit(isFirst: true);
        Pass(4.9);
        Assert.False(_pace.MayBegin());
        Pass(0.1);
        Assert.True(_pace.MayBegin());
    }

    [Fact]
    public void Visits_that_never_stop_are_projected_a_tenth_of_a_second_after_the_first()
    {
        Commit(isFirst: true);
        for (var i = 0; i < 99; i++)
        {
            Pass(1);
            Commit();
            Assert.False(_pace.MayBegin());
        }
        Pass(1);
        Commit();
        Assert.True(_pace.MayBegin());
    }

    [Theory]
    // A twentieth of a second at least, and then nine times as long as it took.
    [InlineData(1, 19_999, 50)]
    [InlineData(10, 19_999, 90)]
    // A burst is put off.
    [InlineData(10, 20_000, 490)]
    [InlineData(10, 249_999, 490)]
    // What lasts is kept up with.
    [InlineData(10, 250_000, 20)]
    public void While_visits_come_in_the_next_batch_waits_by_what_is_left(double took, long left, double rest)
    {
        Commit(isFirst: true);
        Pass(200);
        _pace.Begin();
        Pass(took);
        Commit();
        _pace.End(left);
        Pass(rest - 0.1);
        Commit();
        Assert.False(_pace.MayBegin());
        Pass(0.1);
        Commit();
        Assert.True(_pace.MayBegin());
    }

    [Fact]
    public void A_batch_ends_after_five_milliseconds_where_somebody_waits_and_goes_on_where_nobody_does()
    {
        _isWaitedFor = true;
        _pace.Begin();
        Pass(4.9);
        Assert.False(_pace.IsEnough());
        Pass(0.1);
        Assert.True(_pace.IsEnough());
        Assert.False(_pace.IsUrgent());

        _isWaitedFor = false;
        _pace.Begin();
        Pass(5);
        Assert.False(_pace.IsEnough());
        Assert.False(_pace.IsUrgent());
        _isWaitedFor = true;
        Assert.True(_pace.IsUrgent());
    }

    [Fact]
    public void After_a_batch_was_undone_batches_stay_short_for_a_second()
    {
        _pace.GiveUp();
        Pass(999);
        _pace.Begin();
        Pass(5);
        Assert.True(_pace.IsEnough());
        _pace.GiveUp();
        Pass(1000);
        _pace.Begin();
        Pass(5);
        Assert.False(_pace.IsEnough());
    }
}
