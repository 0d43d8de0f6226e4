namespace Wexil.App.Wording;

/// <summary>
/// A page's letter in its test. The control is always A; colour goes with the letter and never speaks alone.
/// </summary>
public static class PageLetter
{
    /// <summary>The letter of a place among the pages, counted from 0: A, B, C.</summary>
    public static string At(int position) => ((char)('A' + position)).ToString();
}
