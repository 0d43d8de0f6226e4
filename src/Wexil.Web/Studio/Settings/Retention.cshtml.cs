using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Wording;
using Wexil.Store;
using Wexil.Store.Retention;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Studio.Settings;

/// <summary>How long visits, people and buyers' addresses are kept.</summary>
public sealed class RetentionModel(
    SettingStore settings,
    SizeStore sizes,
    OldPeople people,
    VisitThinning thinning,
    TimeProvider time
) : PageModel
{
    /// <summary>In months; empty forever.</summary>
    [BindProperty]
    public string? Visits { get; set; }

    /// <inheritdoc cref="Visits"/>
    [BindProperty]
    public string? People { get; set; }

    /// <inheritdoc cref="Visits"/>
    [BindProperty]
    public string? Buyers { get; set; }

    /// <summary>The owner has read what will be deleted.</summary>
    [BindProperty]
    public bool Confirmed { get; set; }

    [TempData]
    public string? Done { get; set; }

    /// <summary>What would be deleted tonight, in words; empty until somebody asks for it.</summary>
    public IReadOnlyList<string> Effects { get; private set; } = [];

    /// <summary>What was deleted so far.</summary>
    public Seal Sealed => thinning.Sealed;

    public void OnGet()
    {
        var periods = settings.Retention;
        (Visits, People, Buyers) = ($"{periods.Visits}", $"{periods.People}", $"{periods.Buyers}");
    }

    [Logged("Changed how long data is kept")]
    public async Task<IActionResult> OnPostAsync()
    {
        var periods = new RetentionPeriods(
            Months(nameof(Visits), Visits),
            Months(nameof(People), People),
            Months(nameof(Buyers), Buyers)
        );
        if (!ModelState.IsValid)
            return Page();
        Effects = [.. Worded(periods)];
        if (Effects.Count > 0 && !Confirmed)
            return Page();
        await settings.SetRetentionAsync(periods);
        Done = "Saved. What is older is deleted at night, after four o’clock.";
        return Redirect("/settings/retention");
    }

    private int? Months(string field, string? written)
    {
        if (string.IsNullOrWhiteSpace(written))
            return null;
        if (
            int.TryParse(written.Trim(), out var months)
            && months is >= RetentionPeriods.Shortest and <= RetentionPeriods.Longest
        )
            return months;
        ModelState.AddModelError(
            field,
            $"Enter a whole number from {RetentionPeriods.Shortest} to {RetentionPeriods.Longest}, or leave empty."
        );
        return null;
    }

    private IEnumerable<string> Worded(RetentionPeriods periods)
    {
        var now = time.GetUtcNow();
        long Older(int? months, Func<DateTimeOffset, long> count) =>
            RetentionPeriods.Before(months, now) is { } before ? count(before) : 0;
        if (Older(periods.Visits, sizes.EventsBefore) is > 0 and var events)
            yield return $"up to {Format.Count(events, "visit or other event", "visits and other events")}";
        if (Older(periods.People, people.CountSilent) is > 0 and var silent)
            yield return Format.Count(silent, "person", "people");
        if (Older(periods.Buyers, people.CountBuyers) is > 0 and var buyers)
            yield return $"the buyer’s address of {Format.Count(buyers, "order", "orders")}";
    }
}
