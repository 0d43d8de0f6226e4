using AngleSharp.Dom;
using Wexil.Core.Funnels;
using Wexil.Pages.Source;

namespace Wexil.Pages.Serving;

/// <summary>Looks at what the forms and links of one page are for, and notes what is amiss.</summary>
internal sealed class WiringCheck(WiringPlan plan)
{
    private const string FieldsToWriteInto = "input[type=text], input:not([type]), textarea";

    private readonly List<WiringNote> _notes = [];
    private int _forms,
        _buttons,
        _noes,
        _links;

    public WiringReport Look(SourceMap map, StepKind? kind)
    {
        foreach (var node in map.Elements)
        {
            if (node.Name == "form")
                LookAtForm(node);
            else if (node.Name is "a" or "area")
                LookAtLink(node);
        }
        LookForWhatIsMissing(kind);
        return new(_forms, _buttons, _noes, _links, _notes);
    }

    private void LookForWhatIsMissing(StepKind? kind)
    {
        var sendsElsewhere = _notes.Exists(note => note.Problem == WiringProblem.FormElsewhere);
        if (kind == StepKind.OptIn && _forms == 0 && !sendsElsewhere)
            Note(
                WiringProblem.NoForm,
                null,
                "There is no opt-in form on this page.",
                "Add an “Opt-in form” block, or ignore this if the page only links to the next step."
            );
        if (kind is StepKind.Sales or StepKind.Upsell or StepKind.Downsell && _buttons == 0)
            Note(
                WiringProblem.NoButton,
                null,
                "There is no buy button on this page.",
                "Select the button that leads to the checkout and choose “Buy button”."
            );
    }

    private void LookAtForm(SourceElement form)
    {
        var action = form.Element.GetAttribute("action")?.Trim();
        if (OptInForms.EmailField(form.Element) is null)
        {
            if (AsksForSomething(form.Element))
                Note(
                    WiringProblem.FormWithoutEmail,
                    form,
                    "A form has no e-mail field, so it is not an opt-in.",
                    "If it is one, set its field to type “email” in the source."
                );
        }
        else if (OptInForms.IsWired(action, plan))
            _forms++;
        else
            Note(
                WiringProblem.FormElsewhere,
                form,
                $"A form sends its sign-ups to {HtmlText.Shorten(action!, 60)}, where they are not counted.",
                "Send them to Wexil, or ignore this if it is intended."
            );
    }

    // A search box or a choice of language asks for nothing; a form with one field to write into does.
    private static bool AsksForSomething(IElement form) =>
        form.QuerySelector(FieldsToWriteInto) is not null
        && !string.Equals(form.GetAttribute("role"), "search", StringComparison.OrdinalIgnoreCase)
        && form.QuerySelector("input[type=search]") is null;

    private void LookAtLink(SourceElement link)
    {
        var role = Wiring.RoleOf(link.Element, plan);
        if (role == Wiring.Buy)
            _buttons++;
        else if (role == Wiring.No)
            _noes++;
        else if (Wiring.Own(link.Element.GetAttribute("href"), plan) is { } path)
            LookAtOwnAddress(link, path);
    }

    private void LookAtOwnAddress(SourceElement link, string path)
    {
        var text = Named(link.Element);
        if (path == $"/go/{plan.Link}")
            Note(
                WiringProblem.OwnStep,
                link,
                $"{text} leads back to this page’s own link.",
                "Point it to the next step."
            );
        else if (path.StartsWith("/go/", StringComparison.Ordinal))
            _links++;
        else if (
            path.StartsWith("/p/", StringComparison.Ordinal)
            && !path.StartsWith($"/p/{plan.Page}/", StringComparison.Ordinal)
        )
        {
            _links++;
            Note(
                WiringProblem.OtherPage,
                link,
                $"{text} leads directly to one page, {HtmlText.Shorten(path, 40)}.",
                "Use the step’s permanent link (/go/…) so that tests apply."
            );
        }
    }

    private void Note(WiringProblem problem, SourceElement? at, string what, string remedy) =>
        _notes.Add(new(problem, at?.Id, what, remedy));

    private static string Named(IElement link) =>
        HtmlText.Collapse(link.TextContent) is { Length: > 0 } text
            ? $"The link “{HtmlText.Shorten(text, 40)}”"
            : "A link";
}
