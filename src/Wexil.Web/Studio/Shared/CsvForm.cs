using Microsoft.AspNetCore.Mvc.ModelBinding;

namespace Wexil.Web.Studio.Shared;

/// <summary>A form that takes a table in as lines or as a file: its fields are Csv and Upload.</summary>
public static class CsvForm
{
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
        using var reader = new StreamReader(upload.OpenReadStream());
        // What is shown in the form is what was read.
        state.Remove("Csv");
        return await reader.ReadToEndAsync(stop);
    }
}
