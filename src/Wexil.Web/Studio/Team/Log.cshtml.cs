using System.Globalization;
using CsvHelper;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Store.Team;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Team;

/// <summary>Who did what, when and from where, the newest first.</summary>
public sealed class LogModel(AuditLog log) : PageModel
{
    private const int Most = 100,
        Chunk = 2_000,
        MaxWords = 8;

    /// <summary>Words that are looked for.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Q { get; set; }

    /// <summary>Only entries before this one; null for the newest.</summary>
    [BindProperty(SupportsGet = true)]
    public long? Before { get; set; }

    public IReadOnlyList<AuditEntry> Entries { get; private set; } = [];

    /// <summary>Where earlier entries begin; null where there are none.</summary>
    public long? Earlier { get; private set; }

    private string[] Words => [.. (Q ?? "").Split(' ', StringSplitOptions.RemoveEmptyEntries).Take(MaxWords)];

    public void OnGet()
    {
        var found = log.Find(Words, Before ?? long.MaxValue, Most + 1);
        Entries = [.. found.Take(Most)];
        Earlier = found.Count > Most ? Entries[^1].Id : null;
    }

    /// <summary>All that is looked for, as CSV.</summary>
    public async Task<IActionResult> OnGetCsvAsync()
    {
        Response.ContentType = "text/csv; charset=utf-8";
        Response.Headers.ContentDisposition = "attachment; filename=\"activity.csv\"";
        await using var writer = new StreamWriter(Response.Body);
        await using var csv = new CsvWriter(writer, CultureInfo.InvariantCulture);
        await WriteAsync(csv, ["when", "who", "what", "subject", "screen", "address"]);
        var before = long.MaxValue;
        while (log.Find(Words, before, Chunk) is { Count: > 0 } entries)
        {
            foreach (var entry in entries)
                await WriteAsync(
                    csv,
                    [
                        entry.At.ToString("O", CultureInfo.InvariantCulture),
                        entry.Who,
                        entry.Deed,
                        entry.Subject,
                        entry.Link,
                        entry.Address,
                    ]
                );
            before = entries[^1].Id;
        }
        return new EmptyResult();
    }

    private static async Task WriteAsync(CsvWriter csv, IEnumerable<string> fields)
    {
        foreach (var field in fields)
            csv.WriteField(SpreadsheetText.Harmless(field));
        await csv.NextRecordAsync();
    }
}
