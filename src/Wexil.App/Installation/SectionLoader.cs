using System.Text.Json;

namespace Wexil.App.Installation;

/// <summary>
/// The line that an owner pastes in front of a part of an outside page, which makes that part a section. The part stays
/// as it is where scripts are off or no answer comes in time.
/// </summary>
public static class SectionLoader
{
    private static readonly string Script = PastedScript.Load("section.js");

    /// <param name="key">The section's.</param>
    /// <param name="origin">That of the visitors' side.</param>
    /// <param name="wait">How long the part waits for an answer, in milliseconds.</param>
    public static string For(string key, string origin, int wait)
    {
        object[] told = [key, origin, wait];
        var arguments = string.Join(',', told.Select(value => JsonSerializer.Serialize(value)));
        return $"<script>{Script}(document,location,{arguments})</script>";
    }
}
