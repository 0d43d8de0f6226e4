using Wexil.App.Wording;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;
using Wexil.Pages.Source;

namespace Wexil.Web.Studio.Build;

/// <summary>A page that comes as a file: HTML, or a .zip with what belongs to it.</summary>
public static class UploadedPage
{
    /// <summary>The most that is taken.</summary>
    public static ArchiveLimits Limits { get; } = new();

    /// <summary>What was uploaded; a .zip may hold several pages.</summary>
    /// <returns>The page with its files, or what is wrong with it.</returns>
    public static async Task<(PageBundle? Bundle, string? Problem)> ReadAsync(IFormFile? upload)
    {
        if (upload is null)
            return (null, "Choose an .html or .zip file.");
        if (upload.Length == 0)
            return (null, Empty(upload));
        if (upload.Length > Limits.TotalBytes)
            return (null, $"The file is larger than {Limits.TotalBytes >> 20} MB.");
        await using var stream = upload.OpenReadStream();
        if (Path.GetExtension(upload.FileName).Equals(".zip", StringComparison.OrdinalIgnoreCase))
            return ReadArchive(stream);
        if (!ContentTypes.IsHtml(upload.FileName))
            return (null, "This is not an .html or .zip file.");
        // A character has up to four bytes.
        if (upload.Length > 4L * PageSource.MaxLength)
            return (null, $"A page can have up to {PageSource.MaxLength >> 20} MB of HTML.");
        using var memory = new MemoryStream();
        await stream.CopyToAsync(memory);
        var html = PageText.Decode(memory.ToArray());
        if (string.IsNullOrWhiteSpace(html))
            return (null, Empty(upload));
        return PageSource.Problem(html) is { } unfit ? (null, unfit) : (PageBundle.OneFile(html), null);
    }

    private static string Empty(IFormFile upload) =>
        $"{Format.Quoted(Path.GetFileName(upload.FileName))} is empty. Choose another file.";

    private static (PageBundle? Bundle, string? Problem) ReadArchive(Stream stream)
    {
        var (bundle, problem) = PageArchive.Read(stream, Limits);
        if (bundle is null)
            return (null, problem);
        foreach (var path in bundle.Pages)
            if (PageSource.Problem(bundle.Source(path)) is { } wrong)
                return (null, $"{Format.Quoted(path)}: {wrong}");
        return (bundle, null);
    }
}
