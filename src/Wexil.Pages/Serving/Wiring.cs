using AngleSharp.Dom;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Pages.Source;

namespace Wexil.Pages.Serving;

/// <summary>What the page's links and forms are compared with to see where they lead.</summary>
/// <param name="Page">The page's own slug.</param>
/// <param name="Link">The slug of the step that the page stands on.</param>
/// <param name="Origin">The visitors' host: "https://go.larkrow.example".</param>
/// <param name="Tills">The addresses where this funnel takes money, as <see cref="AddressKey.For"/> makes them; links
/// to them are buy buttons.</param>
public sealed record WiringPlan(string Page, string Link, string Origin, IReadOnlyCollection<string> Tills);

/// <summary>How the page's forms and buttons are wired.</summary>
/// <param name="Forms">Opt-in forms whose sign-ups Wexil takes.</param>
/// <param name="Buttons">Links that lead to the till and know their page.</param>
/// <param name="Links">Links to other steps and their pages.</param>
public sealed record WiringReport(int Forms, int Buttons, int Noes, int Links, IReadOnlyList<WiringNote> Notes)
{
    /// <summary>Something on the page leads a visitor to another step.</summary>
    public bool LeadsOn => Forms + Buttons + Links > 0;
}

/// <summary>What keeps a form or a button of a page from doing what it is for.</summary>
public enum WiringProblem
{
    /// <summary>A form sends its answers elsewhere.</summary>
    FormElsewhere,

    /// <summary>A form asks for no e-mail address.</summary>
    FormWithoutEmail,

    /// <summary>An opt-in page has no form.</summary>
    NoForm,

    /// <summary>A page that sells has no buy button.</summary>
    NoButton,

    /// <summary>A button names another page.</summary>
    OtherPage,

    /// <summary>A link leads back to the page’s own step.</summary>
    OwnStep,
}

/// <summary>Something on a page that is not wired.</summary>
/// <param name="Node">The element's number in the source; null when it is about the page as a whole.</param>
/// <param name="What">What is so, as a sentence.</param>
/// <param name="Remedy">What to do about it, as a sentence.</param>
public sealed record WiringNote(WiringProblem Problem, int? Node, string What, string Remedy);

/// <summary>Finds a page's opt-in forms and buy buttons, and makes each know the page that it stands on.</summary>
public static class Wiring
{
    /// <summary>
    /// The attribute by which a marketer's choice is kept in the page itself, so that it goes along with every clone.
    /// </summary>
    public const string RoleAttribute = "data-wexil";

    /// <summary>What a marketer’s choice is kept as.</summary>
    public const string Buy = "buy",
        No = "no";

    /// <summary>Looks at a page as it stands on its step.</summary>
    /// <param name="kind">The step's; null for a part of a page, which lacks nothing.</param>
    public static WiringReport Check(string source, WiringPlan plan, StepKind? kind) =>
        new WiringCheck(plan).Look(SourceMap.Parse(source), kind);

    /// <summary>
    /// What a link is for: as marked, or buying when it leads to a till or is another page's buy button; else null.
    /// </summary>
    internal static string? RoleOf(IElement link, WiringPlan plan)
    {
        if (link.GetAttribute(RoleAttribute) is { } marked && marked is Buy or No)
            return marked;
        if (link.GetAttribute("href") is not { Length: > 0 } href)
            return null;
        if (Own(href, plan) is { } path)
        {
            if (path.StartsWith("/buy/", StringComparison.Ordinal))
                return Buy;
            if (path.StartsWith("/no/", StringComparison.Ordinal))
                return No;
            return plan.Tills.Contains(path) ? Buy : null;
        }
        return plan.Tills.Contains(AddressKey.For(href)) ? Buy : null;
    }

    /// <summary>
    /// The path of an address on the visitors' host; null for one that is elsewhere or relative to the page.
    /// </summary>
    internal static string? Own(string? href, WiringPlan plan)
    {
        if (href?.Trim() is not { Length: > 0 } trimmed)
            return null;
        if (trimmed.StartsWith(plan.Origin + "/", StringComparison.OrdinalIgnoreCase))
            trimmed = trimmed[plan.Origin.Length..];
        return trimmed.StartsWith('/') && !trimmed.StartsWith("//", StringComparison.Ordinal)
            ? trimmed.Split('?', '#')[0].TrimEnd('/')
            : null;
    }
}

/// <summary>Forms that ask for an e-mail address.</summary>
internal static class OptInForms
{
    public static IElement? EmailField(IElement form) =>
        form.QuerySelector("input[type=email]") ?? form.QuerySelector("input[name*=email i]");

    /// <summary>
    /// Does what the form sends come to Wexil? So do forms that lead nowhere, and forms copied from another page here.
    /// </summary>
    public static bool IsWired(string? action, WiringPlan plan) =>
        action is null or "" or "#" or "#!" or "javascript:void(0)" or "javascript:void(0);" or "javascript:;"
        || (
            Wiring.Own(action, plan) is { } path
            && path.StartsWith("/p/", StringComparison.Ordinal)
            && path.EndsWith("/opt-in", StringComparison.Ordinal)
        );
}
