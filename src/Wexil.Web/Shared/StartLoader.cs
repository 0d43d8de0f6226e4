using System.Text.Json;
using System.Text.RegularExpressions;

namespace Wexil.Web.Shared;

/// <summary>The few lines that an owner pastes into the head of an outside page where a test begins.</summary>
public static partial class StartLoader
{
    private static readonly string Script = Load();

    public static string For(string slug, string origin, Uri page) =>
        $"<script data-wexil-start>{Script}(document,location,{JsonSerializer.Serialize(slug)},{JsonSerializer.Serialize(origin)},{JsonSerializer.Serialize(page.GetLeftPart(UriPartial.Path).TrimEnd('/'))})</script>";

    private static string Load()
    {
        using var stream = typeof(StartLoader).Assembly.GetManifestResourceStream("Wexil.Web.Visitors.Starting.loader.js")!;
        using var reader = new StreamReader(stream);
        return Spaces().Replace(reader.ReadToEnd().Trim(), " ");
    }

    [GeneratedRegex(@"\s*\n\s*")]
    private static partial Regex Spaces();
}
