using System.Text;
using Microsoft.AspNetCore.Mvc.ModelBinding;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Store;

namespace Wexil.Web.Studio.Shared;

/// <summary>A form that takes a table in as lines or as a file: its fields are Csv and Upload.</summary>
public static class CsvForm
{
    private const char Unreadable = '\ufffd';

    private static readonly UTF8Encoding Utf8 = new();

    // Spreadsheet programs on Windows write so unless they are told otherwise.
    private static readonly Encoding Windows = CodePagesEncodingProvider.Instance.GetEncoding(1252)!;

    /// <summary>
    /// The table that came along, with its problems by the form's fields; null where the file is too long.
    /// </summary>
    public static async Task<TableFile?> ReadAsync(
        PageModel page,
        TableKind kind,
        string? csv,
        IFormFile? upload,
        TableChoice choice,
        SettingStore settings
    )
    {
        var text = await ReadAsync(page.ModelState, csv, upload, kind.MaxLength, page.HttpContext.RequestAborted);
        if (text is null)
            return null;
        var file = new TableFile(text, kind, choice, settings.TableMappings);
        foreach (var (field, problem) in file.Problems)
            page.ModelState.AddModelError(field, problem);
        return file;
    }

    /// <summary>
    /// The file's text where one came along, else what was typed; null, with the problem by its field, where the file
    /// is too long.
    /// </summary>
    /// <param name="longest">In bytes.</param>
    public static async Task<string?> ReadAsync(
        ModelStateDictionary state,
        string? csv,
        IFormFile? upload,
        int longest,
        CancellationToken stop
    )
    {
        if (upload is null or { Length: 0 })
            return csv ?? "";
        if (upload.Length > longest)
        {
            state.AddModelError(
                "Upload",
                $"The file is larger than {CsvTable.Size(longest)}. Split it and import the parts."
            );
            return null;
        }
        // What is shown in the form is what was read.
        state.Remove("Csv");
        var text = await ReadAsync(upload, Utf8, stop);
        return text.Contains(Unreadable, StringComparison.Ordinal) ? await ReadAsync(upload, Windows, stop) : text;
    }

    /// <param name="encoding">Where the file does not say by its first bytes.</param>
    private static async Task<string> ReadAsync(IFormFile upload, Encoding encoding, CancellationToken stop)
    {
        using var reader = new StreamReader(upload.OpenReadStream(), encoding);
        return await reader.ReadToEndAsync(stop);
    }
}
