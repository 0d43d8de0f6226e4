using AngleSharp.Dom;
using Wexil.Core.Pages;
using Wexil.Pages.Source;

namespace Wexil.Pages.Serving;

/// <summary>The lines of sections in an outside page, and whether they stand there as they should.</summary>
public static class SectionLines
{
    /// <summary>What a line does, which nothing else on a page does.</summary>
    private const string Call = "wexilSections";

    /// <summary>What is found of each section's line, and of what keeps them from acting.</summary>
    /// <param name="sections">The sections that may be on it, by key, with their names.</param>
    /// <param name="home">The origin of the visitors' side.</param>
    public static IReadOnlyList<Finding> Check(
        OutsideDocument outside,
        IReadOnlyDictionary<string, string> sections,
        Uri home
    )
    {
        if (sections.Count == 0)
            return [];
        IElement[] lines = [.. outside.Document.QuerySelectorAll("script:not([src])").Where(Are)];
        return
        [
            .. sections.Select(section => Check([.. lines.Where(Is(section.Key))], section.Value)),
            .. lines.Length == 0 ? [] : new[] { Policy(lines[0], outside.Policy, home) },
        ];
    }

    internal static bool Are(IElement script) => script.TextContent.Contains(Call, StringComparison.Ordinal);

    private static Func<IElement, bool> Is(string key) =>
        line => line.TextContent.Contains($",\"{key}\",", StringComparison.Ordinal);

    private static Finding Check(IElement[] lines, string name)
    {
        var what = $"Code of “{name}” installed";
        return lines switch
        {
            [] => new(
                what,
                null,
                $"The code of the section “{name}” is not on the page, so visitors do not see the section.",
                "If the section is on this page, paste the code right before the element."
            ),
            [_, _, ..] => new(
                what,
                false,
                $"The code of “{name}” is on the page {lines.Length} times; only the first works.",
                "Keep the one right before the element."
            ),
            [var line] when line.NextElementSibling is null => new(
                what,
                false,
                $"Nothing follows the code of “{name}”, so there is no element to change.",
                "Move the code right before the element, inside the same parent."
            ),
            [var line] when line.Closest("head") is not null => new(
                what,
                false,
                $"The code of “{name}” is in the head, where nothing is shown.",
                "Move the code right before the element."
            ),
            _ => new(what, true, "Yes."),
        };
    }

    private static Finding Policy(IElement line, ContentPolicy policy, Uri home)
    {
        const string what = "The page’s content security policy allows sections";
        if (policy.IsEmpty)
            return new(what, true, "The page has no policy.");
        if (!policy.AllowsInline(line.TextContent, line.GetAttribute("nonce")))
            return new(
                what,
                false,
                "The page’s content security policy does not allow inline scripts.",
                "Give the code the page’s nonce, or add their hashes to the policy’s script-src."
            );
        return policy.AllowsConnection(new(home, "/section/a"))
            ? new(what, true, "Yes.")
            : new(
                what,
                false,
                "The page’s content security policy does not let the code reach Wexil.",
                $"Add {home.GetLeftPart(UriPartial.Authority)} to the policy’s connect-src."
            );
    }
}
