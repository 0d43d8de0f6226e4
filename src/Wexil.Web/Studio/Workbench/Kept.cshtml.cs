using System.ComponentModel.DataAnnotations;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;

namespace Wexil.Web.Studio.Workbench;

/// <summary>Numbers of the workbench that the owner keeps under a name.</summary>
public sealed class KeptModel(NumberStore numbers) : PageModel
{
    public const int MaxNameLength = 80,
        MaxAddressLength = 8000;
    private const string Root = "/workbench";

    [BindProperty]
    [Required(ErrorMessage = "Enter a name for these numbers.")]
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

    [Logged("Saved numbers of a calculator")]
    public async Task<IActionResult> OnPostAsync()
    {
        if (
            Address?.Split('?', 2)
            is not [Root or Root + "/plan" or Root + "/split", { Length: > 0 and < MaxAddressLength }]
        )
            ModelState.AddModelError(nameof(Name), "Nothing to save. Calculate something first.");
        if (!ModelState.IsValid)
        {
            Kept = numbers.All();
            return Page();
        }
        await numbers.KeepAsync(Name!.Trim(), Address!);
        Done = "Saved.";
        return Redirect(Root + "/kept");
    }

    [Logged("Deleted saved numbers")]
    public async Task<IActionResult> OnPostDropAsync(long id)
    {
        await numbers.DropAsync(id);
        Done = "Removed.";
        return Redirect(Root + "/kept");
    }
}
