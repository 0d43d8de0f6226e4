using System.Diagnostics;
using Microsoft.Extensions.Logging;
using Wexil.App.Background;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.SplitTests;
using Wexil.Store;
using Wexil.Store.Recording;

namespace Wexil.App.Results;

/// <summary>
/// The results of the tests that are open, in memory, so that a thousand of them cost no more than those that changed.
/// A reading is stale once the journal has counted something in its test or Studio has changed it. It is renewed when
/// somebody asks, within a bound, and otherwise in the background.
/// </summary>
public sealed class Readings : PeriodicWork
{
    /// <summary>
    /// A list of all tests renews so many stale results before it is shown; the others are some seconds old.
    /// </summary>
    public const int MaxRenewed = 50;

    /// <summary>All lists together renew so many a second, once that many have been renewed at once.</summary>
    public const int RenewedPerSecond = 20;

    /// <summary>
    /// Of one core's time, how much renewing in the background takes, and how much reading for the first time: after a
    /// start somebody soon opens a list of all.
    /// </summary>
    private const double Share = 0.05,
        FirstShare = 0.5;

    // Renewing a few at a time keeps each stretch of work shorter than visitors can feel.
    private const int ChunkSize = 4;

    // A reading says how long its test is likely to go on, which changes with time even where nobody comes.
    private static readonly TimeSpan MaxAge = TimeSpan.FromHours(1);

    private readonly TestStore _tests;
    private readonly ByHeart<IReadOnlyList<SplitTest>> _open;
    private readonly FunnelStore _funnels;
    private readonly TestReader _reader;
    private readonly Lock _lock = new();
    private readonly Dictionary<TestId, Entry> _entries = [];
    private long _changes,
        _allStaleAt,
        _forgottenAt,
        _allowedAt;
    private double _allowed = MaxRenewed;

    /// <summary>Begins with none; the journal tells of what changes from now on.</summary>
    public Readings(
        TestStore tests,
        FunnelStore funnels,
        TestReader reader,
        Journal journal,
        BackgroundProblems problems,
        YieldingThreads threads,
        TimeProvider time,
        ILogger<Readings> logger
    )
        : base("Keeping results up to date", problems, threads, time, logger)
    {
        (_tests, _funnels, _reader, _open) = (tests, funnels, reader, new(tests.Open));
        journal.Projected += projected => Mark(projected.Tests);
        journal.Changed += Mark;
    }

    /// <summary>The result of an open test as it is now.</summary>
    /// <param name="steps">Those of its funnel.</param>
    public TestReading Of(SplitTest test, IReadOnlyDictionary<StepId, Step> steps) =>
        Known(test.Id) is { IsFresh: true, Reading: { } reading } ? reading : Renew([test.Id], steps).Single();

    /// <summary>The results of all open tests, the newest test first.</summary>
    /// <param name="steps">Those of all funnels.</param>
    public IReadOnlyList<TestReading> Open(IReadOnlyDictionary<StepId, Step> steps)
    {
        Forget(_open.Value);
        // The caller read the steps a moment ago; a test on a newer one is there the next time.
        SplitTest[] open = [.. _open.Value.Where(test => steps.ContainsKey(test.Step))];
        var read = open.ToDictionary(test => test.Id, test => Known(test.Id));
        TestId[] stale =
        [
            .. read.Where(known => known.Value is { Reading: not null, IsFresh: false })
                .OrderBy(known => known.Value.ReadAt)
                .Select(known => known.Key),
        ];
        var renewed = Renew(
            [
                .. read.Where(known => known.Value.Reading is null).Select(known => known.Key),
                .. stale.Take(Allow(stale.Length)),
            ],
            steps
        );
        var latest = renewed.ToDictionary(reading => reading.Test.Id);
        return [.. open.Select(test => latest.GetValueOrDefault(test.Id) ?? read[test.Id].Reading!)];
    }

    /// <inheritdoc/>
    protected override TimeSpan Rest() => TimeSpan.FromSeconds(1);

    /// <inheritdoc/>
    protected override async Task WorkAsync(CancellationToken stop)
    {
        var open = _open.Value;
        var stale = open.Select(test => (test.Id, Known: Known(test.Id))).Where(test => !test.Known.IsFresh).ToArray();
        if (stale.Length == 0)
            return;
        Forget(open);
        var steps = _funnels.AllSteps().ToDictionary(step => step.Id);
        await RenewAsync(stale.Where(test => test.Known.Reading is null).Select(test => test.Id), FirstShare);
        await RenewAsync(stale.Where(test => test.Known.Reading is not null).Select(test => test.Id), Share);

        async Task RenewAsync(IEnumerable<TestId> tests, double share)
        {
            // Somebody may have asked for some of them meanwhile.
            foreach (var chunk in tests.Where(test => !Known(test).IsFresh).Chunk(ChunkSize))
            {
                var began = Stopwatch.GetTimestamp();
                Renew(chunk, steps);
                await Task.Delay(Stopwatch.GetElapsedTime(began) * (1 / share - 1), Time, stop);
            }
        }
    }

    /// <summary>What is known of a test's result.</summary>
    /// <param name="ReadAt">Which of all changes was the last when it was read.</param>
    private readonly record struct KnownReading(TestReading? Reading, bool IsFresh, long ReadAt);

    private KnownReading Known(TestId test)
    {
        lock (_lock)
        {
            if (!_entries.TryGetValue(test, out var entry))
                return default;
            var isFresh =
                entry.Reading is not null
                && entry.ReadAt >= Math.Max(entry.StaleAt, _allStaleAt)
                && Time.GetUtcNow() - entry.Moment < MaxAge;
            return new(entry.Reading, isFresh, entry.ReadAt);
        }
    }

    private IReadOnlyList<TestReading> Renew(IReadOnlyList<TestId> tests, IReadOnlyDictionary<StepId, Step> steps)
    {
        if (tests.Count == 0)
            return [];
        // What changes from here on may or may not be in what is read, so it is read again.
        var (before, moment) = (Interlocked.Read(ref _changes), Time.GetUtcNow());
        var readings = _reader.Read(_tests.FindAll(tests), steps);
        lock (_lock)
        {
            foreach (var reading in readings)
                if (reading.Test.IsOpen)
                    EntryOf(reading.Test.Id).Keep(reading, before, moment);
        }
        return readings;
    }

    /// <summary>How many of so many stale results may be renewed now.</summary>
    private int Allow(int stale)
    {
        lock (_lock)
        {
            var now = Time.GetTimestamp();
            var since = Time.GetElapsedTime(_allowedAt, now).TotalSeconds;
            _allowed = Math.Min(MaxRenewed, _allowed + since * RenewedPerSecond);
            _allowedAt = now;
            var renewed = Math.Min(stale, (int)_allowed);
            _allowed -= renewed;
            return renewed;
        }
    }

    private void Mark(IEnumerable<TestId> tests)
    {
        lock (_lock)
        {
            var stamp = Interlocked.Increment(ref _changes);
            foreach (var test in tests)
                EntryOf(test).StaleAt = stamp;
        }
    }

    private void Mark(StudioChange changed)
    {
        _open.Forget();
        Mark(changed.Tests);
        lock (_lock)
        {
            if (changed.OfAll)
                _allStaleAt = _changes;
        }
    }

    /// <summary>Drops the results of tests that have been decided since.</summary>
    private void Forget(IReadOnlyList<SplitTest> open)
    {
        lock (_lock)
        {
            if (_entries.Count <= open.Count)
                return;
            foreach (var test in _entries.Keys.Except(open.Select(test => test.Id)).ToArray())
                _entries.Remove(test);
            _forgottenAt = _changes;
        }
    }

    private Entry EntryOf(TestId test)
    {
        if (!_entries.TryGetValue(test, out var entry))
            _entries[test] = entry = new() { StaleAt = _forgottenAt };
        return entry;
    }

    private sealed class Entry
    {
        public TestReading? Reading { get; private set; }
        public long ReadAt { get; private set; }
        public DateTimeOffset Moment { get; private set; }
        public long StaleAt { get; set; }

        public void Keep(TestReading reading, long readAt, DateTimeOffset moment)
        {
            if (Reading is null || readAt >= ReadAt)
                (Reading, ReadAt, Moment) = (reading, readAt, moment);
        }
    }
}
