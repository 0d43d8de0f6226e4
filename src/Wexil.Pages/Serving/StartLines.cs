using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.RegularExpressions;
using AngleSharp.Dom;
using Wexil.Core.Pages;
using Wexil.Pages.Source;

namespace Wexil.Pages.Serving;

/// <summary>The lines in an outside page where a test starts, and whether they stand there as they should.</summary>
public static partial class StartLines
{
    private const string Mark = "data-wexil-start";

    /// <summary>What the lines do, which stays when an editor drops the attribute.</summary>
    private const string Call = "wexilStart";

    internal static bool Are(IElement element) =>
        element.LocalName == "script"
        && (
            element.HasAttribute(Mark)
            || (!element.HasAttribute("src") && element.TextContent.Contains(Call, StringComparison.Ordinal))
        );

    /// <param name="lines">What has to be pasted, whole.</param>
    /// <param name="home">The origin of the visitors' side.</param>
    public static IReadOnlyList<Finding> Check(OutsideDocument outside, string lines, Uri home)
    {
        var found = outside.Document.QuerySelectorAll("script").Where(Are).ToArray();
        if (found.Length == 0)
            return [Missing(outside.Html)];
        var first = found[0];
        return
        [
            new(There, true, "Yes."),
            Once(found.Length),
            Right(first, lines),
            Place(first),
            Policy(first, outside.Policy, home),
        ];
    }

    /// <summary>What is looked at first.</summary>
    public const string There = "Start code installed";

    private static Finding Missing(string html) =>
        new(
            There,
            false,
            html.Contains(Call, StringComparison.Ordinal)
                ? "The start code is in a comment or in text, where no browser runs it."
                : "The start code is not on the page.",
            "Paste it as the first thing in the page’s head."
        );

    private static Finding Once(int times) =>
        times == 1
            ? new("Included once", true, "Yes.")
            : new(
                "Included once",
                false,
                $"The start code is on the page {times} times; only the first works.",
                "Keep the code of this test and delete the others."
            );

    /// <summary>Are they this test's, and as they are given out now?</summary>
    private static Finding Right(IElement found, string lines)
    {
        const string what = "Code of this test";
        var expected = Told(lines);
        if (Told(found.TextContent) is not { } told)
            return new(what, false, "The start code was cut or changed.", "Replace it with the code shown here.");
        if (told.Slug != expected!.Slug)
            return new(
                what,
                false,
                $"The start code belongs to the link /go/{told.Slug}.",
                $"Replace it with the code of /go/{expected.Slug}."
            );
        if (told.Home != expected.Home)
            return new(
                what,
                false,
                $"The start code asks {told.Home}, which is not this Wexil.",
                "Replace it with the code shown here."
            );
        if (told.Page != expected.Page || told.Query != expected.Query)
            return new(
                what,
                false,
                $"The start code is for {told.Page}{(told.Query.Length > 0 ? $"?{told.Query}" : "")}, so it "
                    + "does nothing here.",
                "Replace it with the code shown here."
            );
        return Flat(found.TextContent) == Flat(Inner(lines))
            ? new(what, true, "Yes.")
            : new(
                what,
                null,
                "The start code is an older version, or waits longer or shorter than you set.",
                "Replace it with the code shown here."
            );
    }

    private static Finding Place(IElement found)
    {
        const string what = "Placed first";
        if (found.Ancestors<IElement>().FirstOrDefault(up => up.LocalName is "noscript" or "template") is { } up)
            return new(
                what,
                false,
                $"The start code is inside a <{up.LocalName}>, where it is not run.",
                "Move it to the beginning of the head."
            );
        if (found.Closest("head") is null)
            return new(
                what,
                false,
                "The start code is in the body, so the page shows before it runs.",
                "Move it to the beginning of the head."
            );
        if (found.GetAttribute("type") is { } type and not ("" or "text/javascript" or "application/javascript"))
            return new(
                what,
                false,
                $"The start code’s type is “{type}”, so browsers do not run it.",
                "Paste it as shown."
            );
        return Behind(found) is { } waits
            ? new(what, false, waits, "Move it to the beginning of the head, before style sheets and scripts.")
            : new(what, true, "At the beginning of the head.");
    }

    private static string? Behind(IElement found)
    {
        var siblings = found.Ancestors<IElement>().First().Children;
        IElement[] before = [.. siblings.TakeWhile(element => element != found).Where(Blocks)];
        if (before.Length == 0)
            return null;
        var files = before.Length == 1 ? "a file" : $"{before.Length} files";
        var example = before[0].GetAttribute("src") ?? before[0].GetAttribute("href");
        return $"The page loads {files} before the start code, such as {example}.";
    }

    /// <summary>Does the browser wait for it before it runs what follows?</summary>
    private static bool Blocks(IElement element) =>
        element.LocalName switch
        {
            "script" => element.HasAttribute("src")
                && !element.HasAttribute("defer")
                && !element.HasAttribute("async")
                && element.GetAttribute("type") != "module",
            "link" => element.GetAttribute("rel")?.Contains("stylesheet", StringComparison.OrdinalIgnoreCase) == true
                && element.HasAttribute("href"),
            _ => false,
        };

    private static Finding Policy(IElement found, ContentPolicy policy, Uri home)
    {
        const string what = "The page’s content security policy allows it";
        if (policy.IsEmpty)
            return new(what, true, "The page has no policy.");
        var origin = home.GetLeftPart(UriPartial.Authority);
        if (!policy.AllowsInline(found.TextContent, found.GetAttribute("nonce")))
            return new(
                what,
                false,
                "The page’s content security policy does not allow inline scripts.",
                "Give the code the page’s nonce, or add their hash to the policy’s script-src."
            );
        if (!policy.AllowsAddedScript(new(home, "/start/a.js")))
            return new(
                what,
                false,
                "The page’s content security policy does not let the start code reach Wexil.",
                $"Add {origin} to the policy’s script-src."
            );
        if (!policy.AllowsConnection(new(home, "/start/a/stayed")))
            return new(
                what,
                false,
                "The page’s content security policy does not let the start code report visitors who stay.",
                $"Add {origin} to the policy’s connect-src."
            );
        return policy.AllowsStyle(HidingStyle)
            ? new(what, true, "Yes.")
            : new(
                what,
                null,
                "The page’s content security policy does not let the start code hide the page, so it may show "
                    + "briefly before a redirect.",
                $"Add 'sha256-{HidingStyleHash()}' to the policy’s style-src."
            );
    }

    private static string HidingStyleHash() =>
        Convert.ToBase64String(SHA256.HashData(Encoding.UTF8.GetBytes(HidingStyle)));

    /// <summary>The style by which the lines hide the page, letter by letter.</summary>
    public const string HidingStyle = "html{display:none!important}";

    private sealed record Arguments(string Slug, string Home, string Page, string Query);

    /// <summary>
    /// What lines are told: which link, which Wexil, which page; null when they end otherwise than ours.
    /// </summary>
    private static Arguments? Told(string lines)
    {
        if (Ending().Match(lines) is not { Success: true } match)
            return null;
        try
        {
            var told = JsonSerializer.Deserialize<JsonElement[]>($"[{match.Groups[1].Value}]")!;
            if (told.Length < 3 || told.Take(3).Any(value => value.ValueKind != JsonValueKind.String))
                return null;
            var query = told.Length > 3 && told[3].ValueKind == JsonValueKind.String ? told[3].GetString()! : "";
            return new(told[0].GetString()!, told[1].GetString()!, told[2].GetString()!, query);
        }
        catch (JsonException)
        {
            return null;
        }
    }

    private static string Inner(string lines) =>
        lines[(lines.IndexOf('>', StringComparison.Ordinal) + 1)..lines.LastIndexOf('<')];

    // Editors break lines and indent.
    private static string Flat(string text) => string.Concat(text.Where(letter => !char.IsWhiteSpace(letter)));

    [GeneratedRegex(@"\(document,\s*location,\s*(.+?)\)\s*;?\s*(?:</script>)?\s*$", RegexOptions.NonBacktracking)]
    private static partial Regex Ending();
}
