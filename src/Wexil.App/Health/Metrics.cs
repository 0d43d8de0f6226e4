using System.Globalization;
using System.Text;
using Wexil.App.Backups;
using Wexil.Store;
using Wexil.Store.Recording;

namespace Wexil.App.Health;

/// <summary>The figures of the Health screen for a program that collects them.</summary>
/// <remarks>In the text format of Prometheus, version 0.0.4.</remarks>
public sealed class Metrics(
    Journal journal,
    DoorCounts doors,
    SizeStore sizes,
    OutboxStore outgoing,
    BackupFolder backups,
    HealthProblems problems
)
{
    /// <summary>All figures as they are now.</summary>
    public string Write()
    {
        var (text, size, unsent, store) = (new StringBuilder(), sizes.Read(), outgoing.Unsent(), journal.Health);
        void Say(string name, string kind, string help, params ReadOnlySpan<(string Labels, double Value)> values)
        {
            text.Append(CultureInfo.InvariantCulture, $"# HELP wexil_{name} {help}\n# TYPE wexil_{name} {kind}\n");
            foreach (var (labels, value) in values)
                text.Append(CultureInfo.InvariantCulture, $"wexil_{name}{labels} {value}\n");
        }
        const string studio = "{door=\"studio\"}",
            visitors = "{door=\"visitors\"}";
        Say(
            "requests_total",
            "counter",
            "Requests answered since the start.",
            (studio, doors.Studio.All),
            (visitors, doors.Visitors.All)
        );
        Say(
            "failures_total",
            "counter",
            "Requests that failed by Wexil's fault since the start.",
            (studio, doors.Studio.Failed),
            (visitors, doors.Visitors.Failed)
        );
        Say("events_total", "counter", "Events recorded.", ("", size.Events));
        Say("events_waiting", "gauge", "Events on their way into the data file.", ("", store.Waiting));
        Say("events_not_counted", "gauge", "Events recorded and not counted yet.", ("", journal.NotCounted));
        Say("events_lost_total", "counter", "Events lost since the start.", ("", store.Lost));
        Say("outbox_waiting", "gauge", "Items that wait to be sent.", ("", unsent.Waiting));
        Say("outbox_failed", "gauge", "Items that could not be sent within two days.", ("", unsent.Failed));
        Say("data_bytes", "gauge", "Size of the data file.", ("", size.Data));
        Say("log_bytes", "gauge", "Size of the write-ahead log.", ("", size.Log));
        Say("disk_free_bytes", "gauge", "What is free on the disk of the data file.", ("", size.Free));
        Say("memory_bytes", "gauge", "Memory of the process.", ("", Environment.WorkingSet));
        Say("problems", "gauge", "What is wrong at present.", ("", problems.Now().Count));
        if (backups.Last is { } last)
            Say("last_backup_seconds", "gauge", "When the last backup was made.", ("", last.ToUnixTimeSeconds()));
        return text.ToString();
    }
}
