using System.Globalization;
using CsvHelper;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.People;

/// <summary>Who opted in: found by address, tag or page, handed out, and tagged by rule.</summary>
public sealed class PeopleModel(
    PeopleStore people,
    NamedPages named,
    FunnelStore funnels,
    HeldOptInStore held,
    OwnerTime clock
) : PageModel
{
    public const int MaxCount = 100;

    /// <summary>How many steps are at hand, the newest.</summary>
    public const int MaxOptInSteps = 12;

    [BindProperty(SupportsGet = true)]
    public string? Text { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Tag { get; set; }

    /// <summary>A part of the words for the page that people opted in on.</summary>
    [BindProperty(SupportsGet = true)]
    public string? On { get; set; }

    /// <summary>Which hundred, from 0.</summary>
    [BindProperty(SupportsGet = true)]
    public int At { get; set; }

    [BindProperty]
    public string? RuleTag { get; set; }

    /// <summary>A page of a test, by a part of its words.</summary>
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

    /// <summary>There is a page of a test, so that a rule can name one.</summary>
    public bool HasTests { get; private set; }

    /// <summary>Where the newest steps with opt-ins are told what becomes of them.</summary>
    public IReadOnlyList<(string Address, string Words)> OptInSteps { get; private set; } = [];

    public bool IsFiltered =>
        !string.IsNullOrWhiteSpace(Text) || !string.IsNullOrEmpty(Tag) || !string.IsNullOrWhiteSpace(On);

    private PeopleFilter Filter => new(Text?.Trim() ?? "", Tag ?? "", On?.Trim() ?? "");

    /// <summary>The newest opt-ins that look like a program's.</summary>
    public IReadOnlyList<HeldOptIn> Held { get; private set; } = [];

    public long HeldCount { get; private set; }

    public string When(HeldOptIn opted) => clock.Moment(opted.At);

    public void OnGet() => Load();

    [Logged("Accepted a held opt-in")]
    public async Task<IActionResult> OnPostTakeInAsync(long id)
    {
        Done = await held.TakeInAsync(id) is { } taken
            ? $"{taken.Email} is added to People and counts as an opt-in."
            : "This opt-in is no longer on hold.";
        return Redirect("/people");
    }

    [Logged("Deleted a held opt-in")]
    public async Task<IActionResult> OnPostDeleteHeldAsync(long id)
    {
        await held.DeleteAsync(id);
        Done = "Deleted.";
        return Redirect("/people");
    }

    [Logged("Added a rule for a tag")]
    public async Task<IActionResult> OnPostRuleAsync()
    {
        var tag = RuleTag?.Trim() ?? "";
        if (tag.Length is 0 or > PeopleStore.MaxTagLength || tag.Contains(','))
            ModelState.AddModelError(
                nameof(RuleTag),
                $"Enter a tag of up to {PeopleStore.MaxTagLength} characters, without commas."
            );
        var (seen, unclear) = string.IsNullOrWhiteSpace(RulePage)
            ? (null, "Type a part of the name of a page that was tested.")
            : PageChoice.Choose(RulePage, named.OfTests(RulePage));
        if (seen is null)
            ModelState.AddModelError(nameof(RulePage), unclear);
        if (!ModelState.IsValid)
        {
            Load();
            return Page();
        }
        await people.SetRuleAsync(tag, seen!.Test!.Value, seen.Page);
        Done = $"Everyone who saw that page gets the tag “{tag}”.";
        return Redirect("/people");
    }

    [Logged("Deleted a rule for a tag")]
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
        $"/people?text={Uri.EscapeDataString(Text ?? "")}&tag={Uri.EscapeDataString(Tag ?? "")}"
        + $"&on={Uri.EscapeDataString(On ?? "")}&at={at}";

    public string When(Person person) => clock.Moment(person.At);

    private void Load()
    {
        (Held, HeldCount) = (held.Newest(20), held.Count());
        At = Math.Clamp(At, 0, 100_000);
        // One more than is shown tells whether there are older ones.
        var found = people.Find(Filter, MaxCount + 1, At * MaxCount);
        (Found, HasOlder) = ([.. found.Take(MaxCount)], found.Count > MaxCount);
        // Where all of them are shown, they are counted.
        Count = At == 0 && !HasOlder ? Found.Count : people.Count(Filter);
        (Tags, Rules) = (people.AllTags(), people.Rules());
        OptInSteps =
        [
            .. funnels
                .NewestSteps(StepKind.OptIn, MaxOptInSteps)
                .Select(place =>
                    ($"/f/{place.Funnel.Slug}/{place.Step.Slug}/opt-ins", $"{place.Step.Name} · {place.Funnel.Name}")
                ),
        ];
        HasTests = named.OfTests("").Count > 0;
    }
}
