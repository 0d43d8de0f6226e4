using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Background;
using Wexil.App.Backups;
using Wexil.App.Health;
using Wexil.Store;
using Wexil.Store.Recording;

namespace Wexil.Web.Studio.Health;

/// <summary>How Wexil itself is: what is recorded and counted, what waits, what room is left, what fails.</summary>
public sealed class StatusModel(
    Journal journal,
    DoorCounts doors,
    SizeStore sizes,
    OutboxStore outgoing,
    BackupFolder backups,
    HealthProblems health,
    LookStore looks
) : PageModel
{
    /// <summary>What is wrong at present.</summary>
    public IReadOnlyList<HealthProblem> Problems { get; private set; } = [];

    /// <summary>Of the data file and its disk.</summary>
    public DataSize Size { get; private set; } = null!;

    /// <summary>What waits to go out, and what was given up.</summary>
    public (long Waiting, long Failed) Unsent { get; private set; }

    /// <summary>How many backups there are, and what room they take in bytes.</summary>
    public (int Count, long Bytes) Backups { get; private set; }

    /// <summary>When the last backup was made; null where there is none.</summary>
    public DateTimeOffset? LastBackup { get; private set; }

    /// <summary>When a running test was looked at last; null where none was.</summary>
    public DateTimeOffset? LastLook { get; private set; }

    /// <summary>Of the journal.</summary>
    public StoreHealth Store => journal.Health;

    /// <summary>Events that are recorded and not counted yet.</summary>
    public long NotCounted => journal.NotCounted;

    /// <summary>Backups are made by the clock.</summary>
    public bool AreBackupsMade => backups.IsUsed;

    /// <summary>What each door has answered.</summary>
    public IEnumerable<(string Name, RequestCounts Counts)> Doors =>
        [("Visitors", doors.Visitors), ("Studio", doors.Studio)];

    /// <summary>The program's version.</summary>
    public static string Version => typeof(StatusModel).Assembly.GetName().Version!.ToString(3);

    /// <summary>Reads all of it.</summary>
    public void OnGet()
    {
        (Problems, Size, Unsent) = (health.Now(), sizes.Read(), outgoing.Unsent());
        (Backups, LastBackup) = (backups.Size(), backups.Last);
        var last = looks.Last().Values;
        LastLook = last.Any() ? last.Max(look => look.At) : null;
    }
}
