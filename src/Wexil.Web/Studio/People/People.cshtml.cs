using System.Globalization;
using CsvHelper;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.People;

/// <summary>Who opted in: found by address, tag or page, handed out, and tagged by rule.</summary>
public sealed class PeopleModel(
    PeopleStore people,
    PageStore pages,
    TestStore tests,
    FunnelStore funnels,
    HeldOptInStore held,
    OwnerTime clock
) : PageModel
{
    public const int MaxCount = 100;

    [BindProperty(SupportsGet = true)]
    public string? Text { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Tag { get; set; }

    [BindProperty(SupportsGet = true)]
    public long? Won { get; set; }

    /// <summary>Which hundred, from 0.</summary>
    [BindProperty(SupportsGet = true)]
    public int At { get; set; }

    [BindProperty]
    public string? RuleTag { get; set; }

    /// <summary>A test and a page of it, as "12/34".</summary>
    [BindProperty]
    public string? RulePage { get; set; }

    [TempData]
    public string? Done { get; set; }

    public IReadOnlyList<Person> Found { get; private set; } = [];

    public bool HasOlder { get; private set; }

    public long Count { get; private set; }

    /// <summary>"2,104 people", or "More than 10,000 people".</summary>
    public string CountWords =>
        Count > PeopleStore.MaxCounted
            ? $"More than {Format.Count(PeopleStore.MaxCounted, "person", "people")}"
            : Format.Count(Count, "person", "people");

    public IReadOnlyList<string> Tags { get; private set; } = [];

    public IReadOnlyList<TagRule> Rules { get; private set; } = [];

    public IReadOnlyList<Core.Pages.Page> Pages { get; private set; } = [];

    /// <summary>The pages of tests, as a rule can name them.</summary>
    public IReadOnlyList<(string Value, string Words)> Seen { get; private set; } = [];

    /// <summary>Where each step with opt-ins is told what becomes of them.</summary>
    public IReadOnlyList<(string Address, string Words)> OptInSteps { get; private set; } = [];

    public bool IsFiltered => !string.IsNullOrWhiteSpace(Text) || !string.IsNullOrEmpty(Tag) || Won is not null;

    private PeopleFilter Filter => new(Text?.Trim() ?? "", Tag ?? "", Won is { } page ? new PageId(page) : null);

    /// <summary>The newest opt-ins that look like a program's.</summary>
    public IReadOnlyList<HeldOptIn> Held { get; private set; } = [];

    public long HeldCount { get; private set; }

    public string When(HeldOptIn opted) => clock.Moment(opted.At);

    public void OnGet() => Load();

    public async Task<IActionResult> OnPostTakeInAsync(long id)
    {
        Done = await held.TakeInAsync(id) is { } taken
            ? $"{taken.Email} is added to People and counts as an opt-in."
            : "This opt-in is no longer on hold.";
        return Redirect("/people");
    }

    public async Task<IActionResult> OnPostDeleteHeldAsync(long id)
    {
        await held.DeleteAsync(id);
        Done = "Deleted.";
        return Redirect("/people");
    }

    public async Task<IActionResult> OnPostRuleAsync()
    {
        var tag = RuleTag?.Trim() ?? "";
        if (tag.Length is 0 or > PeopleStore.MaxTagLength || tag.Contains(','))
            ModelState.AddModelError(
                nameof(RuleTag),
                $"Enter a tag of up to {PeopleStore.MaxTagLength} characters, without commas."
            );
        var parts = (RulePage ?? "").Split('/');
        var known =
            parts.Length == 2
            && long.TryParse(parts[0], NumberStyles.None, CultureInfo.InvariantCulture, out var test)
            && tests.Find(new(test)) is { } found
            && long.TryParse(parts[1], NumberStyles.None, CultureInfo.InvariantCulture, out var page)
            && found.Pages.Contains(new(page))
                ? (found.Id, new PageId(page))
                : ((TestId, PageId)?)null;
        if (known is null)
            ModelState.AddModelError(nameof(RulePage), "Choose a page of a test.");
        if (!ModelState.IsValid)
        {
            Load();
            return Page();
        }
        await people.SetRuleAsync(tag, known!.Value.Item1, known.Value.Item2);
        Done = $"Everyone who saw that page gets the tag “{tag}”.";
        return Redirect("/people");
    }

    public async Task<IActionResult> OnPostDropRuleAsync(string tag)
    {
        await people.DropRuleAsync(tag);
        Done = $"The rule for “{tag}” is removed.";
        return Redirect("/people");
    }

    /// <summary>Everybody who is looked for, as CSV.</summary>
    public async Task<IActionResult> OnGetCsvAsync()
    {
        Response.ContentType = "text/csv; charset=utf-8";
        Response.Headers.ContentDisposition = "attachment; filename=\"people.csv\"";
        await using (var writer = new StreamWriter(Response.Body))
        await using (var csv = new CsvWriter(writer, CultureInfo.InvariantCulture))
            await WriteAsync(csv);
        // The file is all there is: the screen does not follow it.
        return new EmptyResult();
    }

    private async Task WriteAsync(CsvWriter csv)
    {
        foreach (var name in (string[])["email", "when", "page", "source", "tags"])
            csv.WriteField(name);
        await csv.NextRecordAsync();
        foreach (var chunk in people.Chunks(Filter))
        {
            foreach (var person in chunk)
            {
                foreach (
                    var field in (string[])
                        [
                            person.Email,
                            person.At.ToString("O", CultureInfo.InvariantCulture),
                            person.Page,
                            person.Source,
                            string.Join(';', person.Tags),
                        ]
                )
                    csv.WriteField(SpreadsheetText.Harmless(field));
                await csv.NextRecordAsync();
            }
        }
    }

    /// <summary>The address of this screen, a hundred further or back.</summary>
    public string Further(int at) =>
        $"/people?text={Uri.EscapeDataString(Text ?? "")}&tag={Uri.EscapeDataString(Tag ?? "")}&won={Won}&at={at}";

    public string When(Person person) => clock.Moment(person.At);

    private void Load()
    {
        (Held, HeldCount) = (held.Newest(20), held.Count());
        At = Math.Clamp(At, 0, 100_000);
        // One more than is shown tells whether there are older ones.
        var found = people.Find(Filter, MaxCount + 1, At * MaxCount);
        (Found, HasOlder) = ([.. found.Take(MaxCount)], found.Count > MaxCount);
        (Count, Tags, Rules) = (people.Count(Filter), people.AllTags(), people.Rules());
        var steps = funnels.AllSteps();
        Pages =
        [
            .. steps
                .Where(step => step is { Kind: StepKind.OptIn, IsSection: false })
                .SelectMany(step => pages.ForStep(step.Id))
                .Where(page => page.Outside is null),
        ];
        var names = funnels.Every();
        OptInSteps =
        [
            .. steps
                .Where(step => step is { Kind: StepKind.OptIn, IsArchived: false, IsSection: false })
                .Select(step =>
                    ($"/f/{names[step.Funnel].Slug}/{step.Slug}/opt-ins", $"{step.Name} · {names[step.Funnel].Name}")
                ),
        ];
        Seen =
        [
            .. steps
                .SelectMany(step => tests.ForStep(step.Id))
                .SelectMany(test =>
                    test.Pages.Select(page =>
                        ($"{test.Id.Value}/{page.Value}", $"{pages.Find(page)!.Name} · {test.Name}")
                    )
                ),
        ];
    }
}
