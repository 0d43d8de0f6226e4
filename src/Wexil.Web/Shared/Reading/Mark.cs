namespace Wexil.Web.Shared.Reading;

/// <summary>
/// A page's letter in its test. The control is always A; colour goes with the letter and never speaks alone.
/// </summary>
public static class Mark
{
    public static string Letter(int position) => ((char)('A' + position)).ToString();
}
