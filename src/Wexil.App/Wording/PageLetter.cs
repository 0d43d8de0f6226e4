using Wexil.App.Outbox;

namespace Wexil.App.Wording;

/// <summary>
/// A page's letter in its test. The control is always A; colour goes with the letter and never speaks alone.
/// </summary>
public static class PageLetter
{
    public static string At(int position) => ((char)('A' + position)).ToString();
}
