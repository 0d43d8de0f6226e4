using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Wording;
using Wexil.Core.Sales;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Sales;

/// <summary>Sales and refunds from a file: looked at first, then taken in.</summary>
[UploadLimit(16)]
public sealed class FromFileModel(SaleStore sales, SettingStore settings, OwnerTime clock) : PageModel
{
    [BindProperty]
    public string? Csv { get; set; }

    [BindProperty]
    public IFormFile? Upload { get; set; }

    [BindProperty]
    public TableChoice Choice { get; set; } = new();

    public TableFile? Table { get; private set; }

    public IReadOnlyList<SaleRow> Rows { get; private set; } = [];

    public string CurrencyCode => settings.Currency.Code;

    public void OnGet() { }

    [Logged(null)]
    public async Task<IActionResult> OnPostAsync()
    {
        await ReadAsync();
        return Page();
    }

    [Logged("Took sales in from a file")]
    public async Task<IActionResult> OnPostTakeInAsync()
    {
        await ReadAsync();
        if (!ModelState.IsValid)
            return Page();
        var news = Rows.Where(row => row.IsNew).ToArray();
        await settings.RememberTableAsync(Table!.Mapping);
        await Task.WhenAll(news.Select(row => sales.RecordAsync(row.Notice!, null, null, row.At)));
        var bad = Rows.Count(row => row.Problem is not null);
        TempData[nameof(SalesModel.Done)] =
            (news.Length == 0 ? "Nothing new to import." : $"{Format.Count(news.Length, "line", "lines")} imported.")
            + (bad > 0 ? $" {Format.Count(bad, "line was", "lines were")} skipped." : "");
        return Redirect("/sales");
    }

    private SaleNotice? Fit(SaleNotice notice, DateTimeOffset at, string? currency) =>
        sales.InCurrencyOfOrder(
            notice,
            DateOnly.FromDateTime(TimeZoneInfo.ConvertTime(at, settings.Zone).DateTime),
            settings.Currency,
            currency
        );

    private async Task ReadAsync()
    {
        Table = await CsvForm.ReadAsync(this, SaleFile.Kind, Csv, Upload, Choice, settings);
        if (Table is null)
            return;
        Csv = Table.Text;
        Rows = SaleFile.Read(Table, settings.Currency, settings.Zone, clock.Now, sales.Told, Fit);
    }
}
