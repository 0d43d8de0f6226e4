namespace Wexil.Web.Studio.Shared;

/// <summary>Text on its way into a spreadsheet.</summary>
public static class SpreadsheetText
{
    /// <summary>A spreadsheet would run what begins like a formula, so that gets an apostrophe in front.</summary>
    public static string Harmless(string text) =>
        text is ['=' or '+' or '-' or '@' or '\t' or '\r', ..] ? "'" + text : text;
}
