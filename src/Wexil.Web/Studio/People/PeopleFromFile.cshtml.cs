using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Wording;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.People;

/// <summary>People from a file: looked at first, then taken in.</summary>
[UploadLimit(16)]
public sealed class PeopleFromFileModel(PeopleStore people, SettingStore settings) : PageModel
{
    [BindProperty]
    public string? Csv { get; set; }

    [BindProperty]
    public IFormFile? Upload { get; set; }

    [BindProperty]
    public TableChoice Choice { get; set; } = new();

    public TableFile? Table { get; private set; }

    public IReadOnlyList<PeopleRow> Rows { get; private set; } = [];

    public void OnGet() { }

    [Logged(null)]
    public async Task<IActionResult> OnPostAsync()
    {
        await ReadAsync();
        return Page();
    }

    [Logged("Took people in from a file")]
    public async Task<IActionResult> OnPostTakeInAsync()
    {
        await ReadAsync();
        if (!ModelState.IsValid)
            return Page();
        var good = Rows.Where(row => row.Problem is null).ToArray();
        await settings.RememberTableAsync(Table!.Mapping);
        await people.AddAsync([.. good.Select(row => (row.Email, row.Tags))]);
        var bad = Rows.Count - good.Length;
        TempData[nameof(PeopleModel.Done)] =
            $"{Format.Count(good.Count(row => !row.IsKnown), "person", "people")} imported, "
            + $"{Format.Count(good.Count(row => row.IsKnown))} already listed."
            + (bad > 0 ? $" {Format.Count(bad, "line was", "lines were")} skipped." : "");
        return Redirect("/people");
    }

    private async Task ReadAsync()
    {
        Table = await CsvForm.ReadAsync(this, PeopleFile.Kind, Csv, Upload, Choice, settings);
        if (Table is null)
            return;
        Csv = Table.Text;
        Rows = PeopleFile.Read(Table, people.Known);
    }
}
