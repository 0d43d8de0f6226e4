using System.IO.Compression;
using System.Text.RegularExpressions;

namespace Wexil.Core.Pages;

/// <summary>What an upload may hold, in bytes and files.</summary>
public sealed record ArchiveLimits(long FileBytes = 16 << 20, long TotalBytes = 64 << 20, int Files = 1000);

/// <summary>A page unpacked: its files, and which of them is the page itself.</summary>
public sealed partial record PageBundle(IReadOnlyList<PageFile> Files, string Entry)
{
    /// <summary>All files that are pages, the entry first.</summary>
    public IEnumerable<string> Pages =>
        Files
            .Select(file => file.Path)
            .Where(ContentTypes.IsHtml)
            .OrderBy(path => path == Entry ? "" : path, StringComparer.Ordinal);

    /// <summary>
    /// Pages that a site has besides its pages proper, by their names: what a server shows when something is not found
    /// or goes wrong, and files by which other services know the owner.
    /// </summary>
    public static bool IsAside(string path) => AsideName().IsMatch(path);

    [GeneratedRegex(
        @"(^|/)((4|5)\d\d|50x|error|not-?found|offline|maintenance|google[0-9a-f]{12,}|yandex_[0-9a-f]+)\.html?$",
        RegexOptions.IgnoreCase
    )]
    private static partial Regex AsideName();

    /// <summary>The text of the page that is a file of the bundle.</summary>
    public string Source(string path) => PageText.Decode(Files.First(file => file.Path == path).Content);

    /// <summary>A page that is one file.</summary>
    public static PageBundle OneFile(string html) =>
        new([new("index.html", System.Text.Encoding.UTF8.GetBytes(html))], "index.html");
}

/// <summary>Takes a page with its styles, scripts and images out of a .zip, or says in words why not.</summary>
public static class PageArchive
{
    // Ten times what the most files take that may be in it.
    private const int MaxDirectoryBytes = 4 << 20;

    // The earliest date a .zip can say: a file of a page has none of its own.
    private static readonly DateTimeOffset NoDate = new(1980, 1, 1, 0, 0, 0, TimeSpan.Zero);

    /// <param name="zip">A seekable stream.</param>
    public static (PageBundle? Page, string? Problem) Read(Stream zip, ArchiveLimits limits)
    {
        var (files, problem) = Files(zip, limits);
        return files is null ? (null, problem) : Bundle(files);
    }

    /// <summary>All files of an archive, within the limits.</summary>
    /// <param name="zip">A seekable stream.</param>
    public static (List<PageFile>? Files, string? Problem) Files(Stream zip, ArchiveLimits limits)
    {
        try
        {
            using var bounded = new DirectoryFirstStream(zip, MaxDirectoryBytes);
            using var archive = new ZipArchive(bounded, ZipArchiveMode.Read);
            _ = archive.Entries;
            bounded.Open();
            return Files(archive, limits);
        }
        // What is too short or too strange to be a .zip fails in more ways than one.
        catch (Exception error)
            when (error
                    is InvalidDataException
                        or IOException
                        or ArgumentException
                        or NotSupportedException
                        or OverflowException
            )
        {
            return (null, "This file cannot be opened as a .zip.");
        }
    }

    private static (List<PageFile>? Files, string? Problem) Files(ZipArchive archive, ArchiveLimits limits)
    {
        var entries = archive.Entries.Where(entry => !IsLeftover(entry.FullName)).ToArray();
        if (entries.Length > limits.Files)
            return (null, $"The .zip holds {entries.Length:N0} files; at most {limits.Files:N0} can be imported.");
        var files = new List<PageFile>();
        long total = 0;
        foreach (var entry in entries)
        {
            if (Refusal(entry) is { } refusal)
                return (null, refusal);
            // The size in the archive's directory may be a lie, so what is really unpacked is bounded too.
            var content = Unpack(entry, Math.Min(limits.FileBytes, limits.TotalBytes - total));
            if (content is null)
                return (null, TooLarge(entry, total, limits));
            total += content.Length;
            var path = entry.FullName.Replace('\\', '/');
            if (files.Exists(file => file.Path == path))
                return (null, $"“{entry.FullName}” is in the .zip twice. Nothing was imported.");
            files.Add(new(path, PageText.AsUtf8(path, content)));
        }
        return (files, null);
    }

    private static string TooLarge(ZipArchiveEntry entry, long total, ArchiveLimits limits) =>
        total + limits.FileBytes > limits.TotalBytes
            ? $"Unpacked, the .zip is larger than {limits.TotalBytes >> 20} MB."
            : $"“{entry.FullName}” is larger than {limits.FileBytes >> 20} MB.";

    /// <summary>Packs files in the order given. The same files make the same bytes, whenever they are packed.</summary>
    public static byte[] Write(IEnumerable<PageFile> files)
    {
        using var memory = new MemoryStream();
        using (var archive = new ZipArchive(memory, ZipArchiveMode.Create, leaveOpen: true))
        {
            foreach (var file in files)
            {
                var entry = archive.CreateEntry(file.Path, CompressionLevel.Optimal);
                entry.LastWriteTime = NoDate;
                using var stream = entry.Open();
                stream.Write(file.Content);
            }
        }
        return memory.ToArray();
    }

    private static (PageBundle?, string?) Bundle(List<PageFile> files)
    {
        var entry = files
            .Where(file => ContentTypes.IsHtml(file.Path))
            .OrderBy(file => PageBundle.IsAside(file.Path))
            .ThenBy(file => file.Path.Count(c => c == '/'))
            .ThenBy(file =>
                Path.GetFileNameWithoutExtension(file.Path).Equals("index", StringComparison.OrdinalIgnoreCase) ? 0 : 1
            )
            .ThenBy(file => file.Path, StringComparer.Ordinal)
            .FirstOrDefault();
        if (entry is null)
            return (null, "There is no .html file in the .zip, so there is no page to import.");

        // A folder that everything lies in is the archive's, not the page's.
        var root = entry.Path[..(entry.Path.LastIndexOf('/') + 1)];
        if (root.Length == 0 || !files.TrueForAll(file => file.Path.StartsWith(root, StringComparison.Ordinal)))
            root = "";
        return (
            new([.. files.Select(file => file with { Path = file.Path[root.Length..] })], entry.Path[root.Length..]),
            null
        );
    }

    private static string? Refusal(ZipArchiveEntry entry)
    {
        var path = entry.FullName.Replace('\\', '/');
        if (path.StartsWith('/') || path.Contains(':') || path.Split('/').Contains(".."))
            return $"“{entry.FullName}” has a path outside the .zip. Nothing was imported.";
        const int symbolicLink = 0xA000,
            fileType = 0xF000;
        if (((entry.ExternalAttributes >> 16) & fileType) == symbolicLink)
            return $"“{entry.FullName}” is a link, not a file. Nothing was imported.";
        return ContentTypes.ForPath(path) is null
            ? $"“{entry.FullName}” is a file type that cannot be imported. Nothing was imported."
            : null;
    }

    private static byte[]? Unpack(ZipArchiveEntry entry, long limit)
    {
        using var source = entry.Open();
        using var target = new MemoryStream();
        var buffer = new byte[81920];
        int read;
        while ((read = source.Read(buffer)) > 0)
        {
            target.Write(buffer, 0, read);
            if (target.Length > limit)
                return null;
        }
        return target.ToArray();
    }

    private static bool IsLeftover(string path) =>
        path.EndsWith('/')
        || path.EndsWith('\\')
        || path.StartsWith("__MACOSX/", StringComparison.Ordinal)
        || Path.GetFileName(path) == "Thumbs.db"
        || IsHidden(path);

    /// <summary>
    /// What tools leave in a folder: .git, .editorconfig, .nojekyll. A step upwards is no hidden file, and is refused.
    /// </summary>
    private static bool IsHidden(string path) =>
        path.Split('/', '\\').Any(part => part.Length > 1 && part[0] == '.' && part != "..");
}
