using System.Text.Json;

namespace Wexil.App.Installation;

/// <summary>The few lines that an owner pastes into the head of an outside page where a test begins.</summary>
public static class StartLoader
{
    private static readonly string Script = PastedScript.Load("loader.js");

    /// <param name="origin">That of the visitors' side.</param>
    /// <param name="page">The address of the page where the lines stand.</param>
    /// <param name="wait">How long the page waits for an answer, in milliseconds.</param>
    public static string For(string slug, string origin, Uri page, int wait)
    {
        object[] told = [slug, origin, page.GetLeftPart(UriPartial.Path).TrimEnd('/'), page.Query.TrimStart('?'), wait];
        var arguments = string.Join(',', told.Select(value => JsonSerializer.Serialize(value)));
        return $"<script data-wexil-start>{Script}(document,location,{arguments})</script>";
    }
}
