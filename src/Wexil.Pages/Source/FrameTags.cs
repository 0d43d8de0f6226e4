namespace Wexil.Pages.Source;

/// <summary>Elements that belong to a page as a whole, and that nobody takes by themselves.</summary>
internal static class FrameTags
{
    public static readonly IReadOnlySet<string> All = new HashSet<string>
    {
        "html",
        "head",
        "body",
        "title",
        "script",
        "style",
        "meta",
        "link",
        "base",
    };
}
