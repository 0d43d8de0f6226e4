using System.Text.Json;
using System.Text.RegularExpressions;

namespace Wexil.App.Installation;

/// <summary>The few lines that an owner pastes into the head of an outside page where a test begins.</summary>
public static partial class StartLoader
{
    private static readonly string Script = Load();

    /// <param name="origin">That of the visitors' side.</param>
    /// <param name="page">The address of the page where the lines stand.</param>
    /// <param name="wait">How long the page waits for an answer, in milliseconds.</param>
    public static string For(string slug, string origin, Uri page, int wait)
    {
        object[] told = [slug, origin, page.GetLeftPart(UriPartial.Path).TrimEnd('/'), page.Query.TrimStart('?'), wait];
        var arguments = string.Join(',', told.Select(value => JsonSerializer.Serialize(value)));
        return $"<script data-wexil-start>{Script}(document,location,{arguments})</script>";
    }

    private static string Load()
    {
        using var stream = typeof(StartLoader).Assembly.GetManifestResourceStream("Wexil.App.Installation.loader.js")!;
        using var reader = new StreamReader(stream);
        return Spaces().Replace(reader.ReadToEnd().Trim(), " ");
    }

    [GeneratedRegex(@"\s*\n\s*")]
    private static partial Regex Spaces();
}
