using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Outbox;
using Wexil.App.Wording;
using Wexil.Store;
using Wexil.Store.Retention;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Studio.People;

/// <summary>What one person did, their tags, and their removal.</summary>
public sealed class OnePersonModel(
    PeopleStore people,
    ActivityStore activities,
    PersonRemoval removal,
    MailSender mail,
    OwnerTime clock
) : PageModel
{
    [BindProperty(SupportsGet = true)]
    public string Email { get; set; } = "";

    [BindProperty]
    public string? Tags { get; set; }

    /// <summary>The owner has seen what removing means.</summary>
    [BindProperty]
    public bool Sure { get; set; }

    [TempData]
    public string? Done { get; set; }

    public Person Person { get; private set; } = null!;

    public IReadOnlyList<Activity> Activities { get; private set; } = [];

    /// <summary>What the person filled in besides the address, by field.</summary>
    public IReadOnlyDictionary<string, string> Told { get; private set; } = new Dictionary<string, string>();

    public string When(Activity activity) => clock.Moment(activity.At);

    public IActionResult OnGet()
    {
        if (!Load())
            return NotFound();
        Tags = string.Join(", ", Person.Tags);
        return Page();
    }

    [Logged("Changed the tags of a person")]
    public async Task<IActionResult> OnPostTagsAsync()
    {
        if (!Load())
            return NotFound();
        string[] tags =
        [
            .. (Tags ?? "")
                .Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)
                .Distinct(StringComparer.OrdinalIgnoreCase),
        ];
        if (tags.Any(tag => tag.Length > PeopleStore.MaxTagLength))
            ModelState.AddModelError(nameof(Tags), $"A tag has at most {PeopleStore.MaxTagLength} characters.");
        if (!ModelState.IsValid)
            return Page();
        // Those by rule come by themselves.
        var ruled = people.Rules().Select(rule => rule.Tag).ToHashSet(StringComparer.OrdinalIgnoreCase);
        await people.SetTagsAsync(Email, [.. tags.Where(tag => !ruled.Contains(tag))]);
        Done = "Tags saved.";
        return Redirect($"/people/one?email={Uri.EscapeDataString(Email)}");
    }

    [Logged("Removed a person and their data")]
    public async Task<IActionResult> OnPostRemoveAsync()
    {
        if (!Load())
            return NotFound();
        if (!Sure)
        {
            ModelState.AddModelError(nameof(Sure), "Tick the box to confirm. This cannot be undone.");
            Tags = string.Join(", ", Person.Tags);
            return Page();
        }
        await removal.RemoveAsync(Email);
        mail.Forget(Email);
        TempData[nameof(Done)] = "Person deleted. Counts are kept, anonymously.";
        return Redirect("/people");
    }

    private bool Load()
    {
        if (Email.Length is 0 or > 254 || people.Find(Email) is not { } person)
            return false;
        (Person, Activities, Told) = (person, activities.For(person.Email), people.Told(person.Email));
        return true;
    }
}
