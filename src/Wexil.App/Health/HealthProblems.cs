using Wexil.App.Background;
using Wexil.App.Backups;
using Wexil.App.Wording;
using Wexil.Store;
using Wexil.Store.Recording;

namespace Wexil.App.Health;

/// <summary>Something that is wrong at present.</summary>
/// <param name="Key">The same as long as the same is wrong.</param>
/// <param name="Sentence">What, for the owner.</param>
public sealed record HealthProblem(string Key, string Sentence)
{
    /// <summary>Visitors' events cannot be saved: every screen says so by itself.</summary>
    public const string Recording = "recording";
}

/// <summary>Says what is wrong at present; cheap enough to be asked at every look at Today.</summary>
public sealed class HealthProblems(
    Journal journal,
    Database database,
    DoorCounts doors,
    SizeStore sizes,
    BackupFolder backups,
    BackgroundProblems background,
    DoorPlaces places,
    OwnerTime time
)
{
    /// <summary>Of the last minutes, in which failures are counted.</summary>
    public const int Minutes = 5;

    /// <summary>So many failed requests within those minutes are a problem; one or two are bad luck.</summary>
    public const long MaxFailures = 5;

    /// <summary>So many events that are not counted yet: more than a burst leaves for a few seconds.</summary>
    public const long MaxNotCounted = 500_000;

    /// <summary>Less room than this, in bytes, is too little for a day of good traffic and a backup.</summary>
    public const long MinFree = 1_000_000_000;

    /// <summary>A backup that is older was missed, by night too.</summary>
    public static readonly TimeSpan MaxBackupAge = TimeSpan.FromHours(26);

    /// <summary>What is wrong at present, the worst first.</summary>
    public IReadOnlyList<HealthProblem> Now() => [.. Recording(), .. Answering(), .. Keeping(), .. ByItself()];

    private IEnumerable<HealthProblem> Recording()
    {
        var health = journal.Health;
        if (health.Trouble is { } trouble)
            yield return new(HealthProblem.Recording, $"What visitors do cannot be saved just now: {trouble}.");
        if (health.Lost > 0)
            yield return new("lost", $"{Format.Count(health.Lost, "event was", "events were")} lost since the start.");
        if (database.LostCommits is > 0 and var lost)
            yield return new(
                "log",
                $"The write-ahead log was damaged when Wexil started: the last {Format.Count(lost, "write", "writes")} "
                    + "before could not be read. The figures up to then are right."
            );
        if (journal.NotCounted > MaxNotCounted)
            yield return new("behind", $"{Format.Count(journal.NotCounted)} events are recorded and not counted yet.");
    }

    private IEnumerable<HealthProblem> Answering()
    {
        if (places.AreFew)
            yield return new(
                "places",
                $"The system lets Wexil open {Format.Count(places.Files)} files, so at most "
                    + $"{Format.Count(places.Visitors, "visitor is", "visitors are")} connected at once. Raise the "
                    + "limit of open files (LimitNOFILE) or of memory."
            );
        foreach (var (door, counts) in new[] { ("Visitors", doors.Visitors), ("Studio", doors.Studio) })
            if (counts.Last(Minutes).Failures is >= MaxFailures and var failures)
                yield return new(
                    $"failures-{door}",
                    $"{door}: {Format.Count(failures)} requests failed in the last {Minutes} minutes. The log says why."
                );
    }

    private IEnumerable<HealthProblem> Keeping()
    {
        if (sizes.Free is < MinFree and var free)
            yield return new("disk", $"The disk is nearly full: {Format.Count(free / 1_000_000)} MB are free.");
        if (backups.IsUsed && backups.Last is { } last && time.Now - last > MaxBackupAge)
            yield return new("backup", $"The last backup is of {time.Moment(last)}.");
    }

    private IEnumerable<HealthProblem> ByItself() =>
        background.All.Select(problem => new HealthProblem(
            $"background-{problem.What}",
            $"{problem.What} has failed since {time.Moment(problem.Since)} and is retried automatically. Details are "
                + "in the log."
        ));
}
