using AngleSharp.Dom;
using Wexil.Core.Pages;
using Wexil.Pages.Source;

namespace Wexil.Pages.Serving;

/// <summary>
/// Looks whether the script stands in an outside page as it should, and whether the page's own policy lets it work.
/// </summary>
public static class ScriptCheck
{
    private const string File = "/wexil.js";

    private const string Installed = "Script installed",
        FromHere = "Loaded from this Wexil",
        Loads = "Browsers can load it",
        Placed = "In the right place",
        Allowed = "Allowed by the page’s content security policy";

    /// <summary>What is looked at, each without which no visit would be reported.</summary>
    public static readonly IReadOnlyList<string> Things = [Installed, FromHere, Loads, Placed, Allowed];

    /// <param name="script">The address of our script.</param>
    public static IReadOnlyList<Finding> Check(OutsideDocument outside, Uri script)
    {
        var line = $"<script src=\"{script}\" defer></script>";
        var page = outside.Address;
        var ours = Ours(outside.Document).ToArray();
        if (ours.Length == 0)
            return [Missing(outside.Html, line)];
        var right = ours.Where(element => Source(element, page) is { } source && Same(source, script)).ToArray();
        Finding isThere = new(Installed, true, "Yes."),
            policy = Policy(outside.Policy, script, right.FirstOrDefault()?.GetAttribute("nonce"));
        if (right.Length > 0)
            return
            [
                isThere,
                new(FromHere, true, "Yes."),
                Once(right.Length),
                Place(right[0], line),
                Scheme(page, script),
                policy,
            ];
        var other = ours[0].GetAttribute("src");
        return [isThere, new(FromHere, false, $"The script comes from {other}.", $"Replace it with {line}."), policy];
    }

    private static Finding Missing(string html, string line) =>
        new(
            Installed,
            false,
            html.Contains(File, StringComparison.OrdinalIgnoreCase)
                ? "The script is in a comment or in text, where no browser runs it."
                : "The script is not in the page.",
            $"Paste {line} into the page’s head, just before </head>."
        );

    private static Finding Once(int times) =>
        times == 1
            ? new("Included once", true, "Yes.")
            : new(
                "Included once",
                null,
                $"The script is on the page {times} times. The first works, the rest do nothing: visits count once.",
                "Keep one and delete the others."
            );

    private static Finding Scheme(Uri page, Uri script) =>
        page.Scheme == Uri.UriSchemeHttps && script.Scheme == Uri.UriSchemeHttp
            ? new(
                Loads,
                false,
                "The page is on https and the script on http, which browsers refuse.",
                "Set up https for Wexil, and paste the line from there."
            )
            : new(Loads, true, "Yes.");

    private static IEnumerable<IElement> Ours(IDocument document) =>
        document
            .QuerySelectorAll("script[src]")
            .Where(script =>
                script.GetAttribute("src")!.Split('?', '#')[0].EndsWith(File, StringComparison.OrdinalIgnoreCase)
            );

    private static Uri? Source(IElement script, Uri page) =>
        Uri.TryCreate(page, script.GetAttribute("src")!.Trim(), out var source) ? source : null;

    private static bool Same(Uri source, Uri script) =>
        source.Authority.Equals(script.Authority, StringComparison.OrdinalIgnoreCase)
        && source.AbsolutePath == script.AbsolutePath;

    private static Finding Place(IElement script, string line)
    {
        const string what = Placed;
        if (script.Ancestors<IElement>().FirstOrDefault(up => up.LocalName is "noscript" or "template") is { } up)
            return new(
                what,
                false,
                $"The script is inside a <{up.LocalName}>, where it is not run.",
                $"Move {line} to just before </head>."
            );
        if (
            script.GetAttribute("type") is { Length: > 0 } type
            && type != "text/javascript"
            && type != "application/javascript"
        )
            return new(
                what,
                false,
                $"The script’s type is “{type}”, so browsers do not run it.",
                $"Paste it as it is: {line}"
            );
        if (script.Closest("head") is null)
            return new(
                what,
                null,
                "The script is in the body. Visitors who leave before it loads are not counted.",
                "Better in the head with defer, which does not slow the page."
            );
        return new(what, true, "In the head.");
    }

    private static Finding Policy(ContentPolicy policy, Uri script, string? nonce)
    {
        const string what = Allowed;
        var origin = script.GetLeftPart(UriPartial.Authority);
        if (!policy.AllowsScript(script, nonce))
            return new(
                what,
                false,
                "The page’s content security policy does not allow scripts from this host.",
                $"Add {origin} to the policy’s script-src."
            );
        if (!policy.AllowsConnection(script))
            return new(
                what,
                false,
                "The page’s content security policy lets the script run but not report visits.",
                $"Add {origin} to the policy’s connect-src."
            );
        return new(what, true, policy.IsEmpty ? "The page has no policy." : "Yes.");
    }
}
