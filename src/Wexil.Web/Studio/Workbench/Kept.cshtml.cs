using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Store;

namespace Wexil.Web.Studio.Workbench;

/// <summary>Numbers of the workbench that the owner keeps under a name.</summary>
public sealed class KeptModel(NumberStore numbers) : PageModel
{
    public const int MaxNameLength = 80,
        MaxAddressLength = 8000;
    private const string Root = "/workbench";

    [BindProperty]
    [Required(ErrorMessage = "Give the numbers a name, to find them by.")]
    [MaxLength(MaxNameLength, ErrorMessage = "At most 80 characters.")]
    public string? Name { get; set; }

    /// <summary>Where in the workbench the numbers stand.</summary>
    [BindProperty]
    public string? Address { get; set; }

    [TempData]
    public string? Done { get; set; }

    public IReadOnlyList<KeptNumbers> Kept { get; private set; } = [];

    public static string Instrument(string address) =>
        address.Split('?')[0] switch
        {
            Root => "Compare pages",
            Root + "/plan" => "Plan a test",
            _ => "Check a split",
        };

    public void OnGet() => Kept = numbers.All();

    public async Task<IActionResult> OnPostAsync()
    {
        if (
            Address?.Split('?', 2)
            is not [Root or Root + "/plan" or Root + "/split", { Length: > 0 and < MaxAddressLength }]
        )
            ModelState.AddModelError(
                nameof(Name),
                "These are no numbers of the workbench. Go back, work them out, and keep them from there."
            );
        if (!ModelState.IsValid)
        {
            Kept = numbers.All();
            return Page();
        }
        await numbers.KeepAsync(Name!.Trim(), Address!);
        Done = "Kept. The numbers stand here until you take them out.";
        return Redirect(Root + "/kept");
    }

    public async Task<IActionResult> OnPostDropAsync(long id)
    {
        await numbers.DropAsync(id);
        Done = "Taken out.";
        return Redirect(Root + "/kept");
    }
}
