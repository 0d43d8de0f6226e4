using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Serialization;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Pages;
using Wexil.Pages.Source;

namespace Wexil.Pages.Importing;

/// <summary>
/// A funnel as a .zip of plain HTML, its files, and a <c>funnel.json</c> that says how they belong together;
/// docs/contracts.md has the format.
/// </summary>
public static class FunnelArchive
{
    /// <summary>The file that says what is in the archive.</summary>
    public const string Manifest = "funnel.json";

    private const int MaxManifestBytes = 1 << 20;
    private const string Format = "wexil-funnel";
    private const int Version = 1;

    private static readonly JsonSerializerOptions Json = new()
    {
        PropertyNamingPolicy = JsonNamingPolicy.CamelCase,
        WriteIndented = true,
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
        Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.KebabCaseLower) },
    };

    private sealed record Root(string Format, int Version, string Name, IReadOnlyList<StepEntry> Steps);

    private sealed record StepEntry(
        StepKind Kind,
        string Name,
        string Link,
        int? Yes,
        int? No,
        int Shown,
        IReadOnlyList<PageEntry> Pages
    );

    private sealed record PageEntry(
        string Name,
        string? Folder,
        string? Entry,
        string? Outside,
        int? ClonedFrom,
        bool? Indexed
    );

    /// <summary>The archive as a .zip.</summary>
    public static byte[] Write(FunnelPlan funnel)
    {
        var files = new List<PageFile>();
        var folders = new HashSet<string>(StringComparer.Ordinal);
        var steps = new List<StepEntry>();
        foreach (var step in funnel.Steps)
        {
            var pages = new List<PageEntry>();
            foreach (var page in step.Pages)
            {
                var folder = page.Bundle is null
                    ? null
                    : $"{step.Slug}/{Slug.Free(Slug.From(page.Name), name => !folders.Add($"{step.Slug}/{name}"))}/";
                pages.Add(
                    new(
                        page.Name,
                        folder,
                        page.Bundle?.Entry,
                        page.Outside?.AbsoluteUri,
                        page.Parent,
                        page.IsIndexed ? true : null
                    )
                );
                foreach (var file in (page.Bundle?.Files ?? []).OrderBy(file => file.Path, StringComparer.Ordinal))
                    files.Add(file with { Path = folder + file.Path });
            }
            steps.Add(new(step.Kind, step.Name, step.Slug, step.Yes, step.No, step.Shown, pages));
        }
        files.Insert(
            0,
            new(Manifest, JsonSerializer.SerializeToUtf8Bytes(new Root(Format, Version, funnel.Name, steps), Json))
        );
        return PageArchive.Write(files);
    }

    /// <param name="zip">A seekable stream.</param>
    public static (FunnelPlan? Funnel, string? Problem) Read(Stream zip, ArchiveLimits limits)
    {
        var (files, problem) = PageArchive.Files(zip, limits);
        if (files is null)
            return (null, problem);
        if (files.FirstOrDefault(file => file.Path == Manifest) is not { } manifest)
            return (
                null,
                $"There is no {Manifest} in the .zip, so it is not a Wexil funnel. To import a page, open its "
                    + "step and choose Add a page."
            );
        if (manifest.Content.Length > MaxManifestBytes)
            return (null, $"The {Manifest} is larger than {MaxManifestBytes >> 20} MB, which no funnel needs.");
        try
        {
            var root = JsonSerializer.Deserialize<Root>(manifest.Content, Json);
            if (root is not { Format: Format, Steps: not null })
                return (null, $"The {Manifest} does not describe a funnel.");
            if (root.Version > Version)
                return (
                    null,
                    $"The {Manifest} was written by a newer Wexil (version {root.Version}); this one reads "
                        + $"version {Version}."
                );
            return (
                new(Named(root.Name, "Funnel"), [.. root.Steps.Select(step => Step(step, root.Steps.Count, files))]),
                null
            );
        }
        catch (JsonException error)
        {
            return (null, $"The {Manifest} cannot be read, at line {error.LineNumber + 1}.");
        }
        catch (FormatException error)
        {
            return (null, error.Message);
        }
    }

    private static FunnelStep Step(StepEntry step, int steps, List<PageFile> files)
    {
        if (Slug.Problem(step.Link) is { } problem)
            throw new FormatException($"The link “{step.Link}” of a step cannot be used: {problem}");
        var pages = (step.Pages ?? []).Select(page => Page(page, step, files)).ToArray();
        return new(
            step.Kind,
            Named(step.Name, step.Link),
            step.Link,
            pages,
            Within(step.Yes, steps),
            Within(step.No, steps),
            Within(step.Shown, pages.Length) ?? 0
        );
    }

    private static FunnelPage Page(PageEntry page, StepEntry step, List<PageFile> files)
    {
        var parent = Within(page.ClonedFrom, step.Pages.Count);
        var name = Named(page.Name, "Page");
        if (page.Outside is not null)
            return Uri.TryCreate(page.Outside, UriKind.Absolute, out var outside) && outside.Scheme is "http" or "https"
                ? new(name, null, outside, parent)
                : throw new FormatException($"“{page.Outside}” is not a page address.");
        if (string.IsNullOrEmpty(page.Folder) || string.IsNullOrEmpty(page.Entry))
            throw new FormatException($"The page “{name}” has neither files nor an address.");
        PageFile[] own =
        [
            .. files
                .Where(file => file.Path.StartsWith(page.Folder, StringComparison.Ordinal))
                .Select(file => file with { Path = file.Path[page.Folder.Length..] }),
        ];
        if (own.All(file => file.Path != page.Entry))
            throw new FormatException($"The file {page.Folder}{page.Entry} of the page “{name}” is not in the .zip.");
        var bundle = new PageBundle(own, page.Entry);
        if (PageSource.Problem(bundle.Source(page.Entry)) is { } problem)
            throw new FormatException($"“{page.Folder}{page.Entry}”: {problem}");
        return new(name, bundle, null, parent, page.Indexed ?? false);
    }

    private static int? Within(int? place, int count) =>
        place is { } number && number >= 0 && number < count ? place : null;

    private static string Named(string? name, string otherwise) =>
        string.IsNullOrWhiteSpace(name) ? otherwise
        : name.Length <= 120 ? name
        : name[..120];
}
