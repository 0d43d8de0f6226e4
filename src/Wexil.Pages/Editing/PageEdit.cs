using Wexil.Pages.Starters;

namespace Wexil.Pages.Editing;

/// <summary>
/// One change that a person makes to a page where it stands. A node is the number of an element in the page's source.
/// </summary>
public abstract record PageEdit
{
    private PageEdit()
    {
        // The kinds of edit are those below and no others.
    }

    /// <summary>
    /// New words in place. The markup comes from a browser frame and is not trusted: only what the page had, and plain
    /// emphasis, is kept of it.
    /// </summary>
    public sealed record Text(int Node, string Html) : PageEdit;

    /// <summary>
    /// Another picture, with the text that stands for it where it cannot be seen; without a file the picture stays.
    /// </summary>
    public sealed record Picture(int Node, string? File, string Alternative) : PageEdit;

    /// <summary>Another picture behind a part, wherever the style that puts one there is written.</summary>
    public sealed record Background(int Node, string File) : PageEdit;

    /// <summary>Where a link leads, or what a video or frame shows.</summary>
    public sealed record Address(int Node, string To) : PageEdit;

    /// <summary>What a form field shows while it is empty.</summary>
    public sealed record Hint(int Node, string Words) : PageEdit;

    /// <summary>One property of how an element looks; without a value the page's own style is back.</summary>
    public sealed record Look(int Node, string Property, string? Value) : PageEdit;

    /// <summary>Changes places with the element before or behind it.</summary>
    public sealed record Move(int Node, bool Down) : PageEdit;

    /// <summary>Puts a copy behind a part.</summary>
    public sealed record Duplicate(int Node) : PageEdit;

    /// <summary>Hides a part, which stays in the source.</summary>
    public sealed record Hide(int Node) : PageEdit;

    /// <summary>Shows a part that was hidden.</summary>
    public sealed record Show(int Node) : PageEdit;

    /// <summary>Takes a part out of the page.</summary>
    public sealed record Remove(int Node) : PageEdit;

    /// <summary>Puts a block behind an element.</summary>
    public sealed record Insert(int Node, string Block) : PageEdit
    {
        /// <summary>The look of what the page itself gives no look to.</summary>
        public Brand Brand { get; init; } = Brand.Default;
    }

    /// <summary>Says what a link is for: buying, saying no to an offer, or nothing of the kind.</summary>
    public sealed record Role(int Node, LinkRole For) : PageEdit;

    /// <summary>Lets Wexil take what a form sends, wherever it went before.</summary>
    public sealed record TakeForm(int Node) : PageEdit;

    /// <summary>Makes a part a section: the place of its versions.</summary>
    /// <param name="WithNext">The section holds the part below it too, so that the two can change places.</param>
    public sealed record MarkSection(int Node, string Key, bool WithNext = false) : PageEdit;

    /// <summary>Changes what the head of the page says.</summary>
    public sealed record Settings(PageSettings To) : PageEdit;

    /// <summary>The whole source, edited as text.</summary>
    public sealed record Source(string Whole) : PageEdit;
}

/// <summary>What a link on a page is for, where the marketer has said so.</summary>
public enum LinkRole
{
    /// <summary>Nothing was said.</summary>
    None,

    /// <summary>It buys.</summary>
    Buy,

    /// <summary>It declines.</summary>
    No,
}
