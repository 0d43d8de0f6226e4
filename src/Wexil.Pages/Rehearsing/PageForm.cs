using AngleSharp.Html.Dom;

namespace Wexil.Pages.Rehearsing;

/// <summary>A form as a browser would send it, filled in by somebody who gives an e-mail address.</summary>
/// <param name="Fields">Names and values, in the order of the page.</param>
public sealed record PageForm(Uri Action, bool IsPost, IReadOnlyList<KeyValuePair<string, string>> Fields)
{
    /// <summary>What is typed where something has to be.</summary>
    private const string Typed = "Rehearsal";

    /// <summary>Fills a form in; null for one that asks for no e-mail address or leads to no address.</summary>
    internal static PageForm? Fill(IHtmlFormElement form, Uri page, string email)
    {
        var inputs = form.Elements.OfType<IHtmlElement>().Where(element => !element.HasAttribute("disabled")).ToArray();
        if (!inputs.OfType<IHtmlInputElement>().Any(AsksForEmail))
            return null;
        var action = form.GetAttribute("action") is { Length: > 0 } written ? written : page.AbsoluteUri;
        if (!Uri.TryCreate(page, action, out var address) || address.Scheme is not ("http" or "https"))
            return null;
        return new(
            address,
            string.Equals(form.GetAttribute("method"), "post", StringComparison.OrdinalIgnoreCase),
            [.. inputs.Select(input => Value(input, email)).OfType<KeyValuePair<string, string>>()]
        );
    }

    private static bool AsksForEmail(IHtmlInputElement input) =>
        input.Type == "email"
        || input.Type == "text" && input.Name?.Contains("email", StringComparison.OrdinalIgnoreCase) == true;

    private static KeyValuePair<string, string>? Value(IHtmlElement element, string email) =>
        element.GetAttribute("name") is not { Length: > 0 } name
            ? null
            : element switch
            {
                IHtmlInputElement { Type: "submit" or "button" or "image" or "reset" or "file" } => null,
                IHtmlInputElement { Type: "checkbox" or "radio" } choice => choice.IsChecked || choice.IsRequired
                    ? new(name, choice.Value)
                    : null,
                IHtmlInputElement input when AsksForEmail(input) => new(name, email),
                IHtmlInputElement input => new(name, Filled(input.Value, input.IsRequired)),
                IHtmlTextAreaElement area => new(name, Filled(area.Value, area.IsRequired)),
                IHtmlSelectElement select => new(name, select.Value ?? ""),
                _ => null,
            };

    private static string Filled(string value, bool isRequired) => value.Length == 0 && isRequired ? Typed : value;
}
