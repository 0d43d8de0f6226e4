using Markdig;
using Markdig.Syntax;
using Markdig.Syntax.Inlines;

namespace Wexil.Web.Studio.Help;

/// <summary>A page of the guide.</summary>
/// <param name="Slug">Its name in addresses.</param>
/// <param name="Text">Its words without any markup, to be searched.</param>
public sealed record GuidePage(string Slug, string Title, string Html, string Text);

/// <summary>The guide: the pages of docs/guide, in order.</summary>
public static class GuidePages
{
    private const string Folder = "guide/";

    private static readonly Lazy<IReadOnlyList<GuidePage>> Read = new(() =>
        [
            .. typeof(GuidePages)
                .Assembly.GetManifestResourceNames()
                .Where(name => name.StartsWith(Folder, StringComparison.Ordinal))
                .Order(StringComparer.Ordinal)
                .Select(From),
        ]
    );

    /// <summary>All of them.</summary>
    public static IReadOnlyList<GuidePage> All => Read.Value;

    /// <summary>Those with some words in them, wherever they have capitals; none where nothing is asked for.</summary>
    public static IEnumerable<GuidePage> With(string words) =>
        words.Length < 3
            ? []
            : All.Where(page =>
                page.Title.Contains(words, StringComparison.OrdinalIgnoreCase)
                || page.Text.Contains(words, StringComparison.OrdinalIgnoreCase)
            );

    private static GuidePage From(string resource)
    {
        using var reader = new StreamReader(typeof(GuidePages).Assembly.GetManifestResourceStream(resource)!);
        var document = Markdown.Parse(reader.ReadToEnd());
        var heading = document.OfType<HeadingBlock>().First();
        var title = Plain(heading);
        // The screen has the title itself, and pictures lie elsewhere than in the repository.
        document.Remove(heading);
        foreach (var picture in document.Descendants<LinkInline>().Where(link => link.IsImage))
            picture.Url = $"/guide/{Path.GetFileName(picture.Url)}";
        var text = string.Join(' ', document.Descendants<LeafBlock>().Select(Plain));
        // The number in front only sorts the files.
        return new(resource[(Folder.Length + 3)..], title, document.ToHtml(), text);
    }

    private static string Plain(LeafBlock block) =>
        string.Concat(block.Inline?.Descendants<LiteralInline>().Select(words => words.Content.ToString()) ?? []);
}
