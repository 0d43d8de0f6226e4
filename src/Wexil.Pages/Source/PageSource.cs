namespace Wexil.Pages.Source;

/// <summary>Tells whether a text is a page that can be taken in, before anything is made of it.</summary>
public static class PageSource
{
    /// <summary>The longest source, in characters.</summary>
    public const int MaxLength = 4 << 20;

    /// <summary>
    /// How deep elements may stand in one another. Browsers themselves stop at 512.
    /// </summary>
    public const int MaxDepth = 1000;

    /// <summary>Why a text is no page that can be taken in, as a sentence; null when it is one.</summary>
    public static string? Problem(string source)
    {
        if (source.Length > MaxLength)
            return $"A page can have up to {MaxLength >> 20} MB of HTML.";
        if (source.Contains('\0', StringComparison.Ordinal))
            return "This is not a text file.";
        return MarkupMeasure.Of(source).Tags == 0 ? "This is not HTML: it has no tags." : ProblemOfReading(source);
    }

    /// <summary>Why a page takes too long to read, as a sentence; null where it does not.</summary>
    private static string? ProblemOfReading(string source)
    {
        try
        {
            BoundedParser.Document(source).Dispose();
            return null;
        }
        catch (PageTooComplexException error)
        {
            return error.Message;
        }
    }

    internal static string TooDeep { get; } =
        $"This page has elements nested more than {MaxDepth:N0} deep. Browsers do not show such pages as written; "
        + "remove the extra nesting.";
}
