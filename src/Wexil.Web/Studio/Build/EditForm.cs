using System.Globalization;
using System.Text.Json;
using Wexil.Core.Pages;
using Wexil.Pages.Editing;

namespace Wexil.Web.Studio.Build;

/// <summary>Reads an edit from what the editor sends.</summary>
internal sealed class EditForm(IFormCollection form)
{
    /// <summary>The edit; null when it is none that there is.</summary>
    public PageEdit? Read(string source)
    {
        var kind = Value("kind");
        if (kind == "source")
            return TypedSource(source);
        return Number("node") is { } node ? Read(kind, node) : null;
    }

    private PageEdit? Read(string kind, int node) =>
        kind switch
        {
            "text" => new PageEdit.Text(node, Value("html")),
            "picture" => new PageEdit.Picture(node, ValueOrNull("file"), Value("alternative")),
            "background" => new PageEdit.Background(node, Value("file")),
            "address" => new PageEdit.Address(node, Value("to")),
            "hint" => new PageEdit.Hint(node, Value("words")),
            "look" => new PageEdit.Look(node, Value("property"), ValueOrNull("value")),
            "move" => new PageEdit.Move(node, Value("down") == "true"),
            "duplicate" => new PageEdit.Duplicate(node),
            "hide" => new PageEdit.Hide(node),
            "show" => new PageEdit.Show(node),
            "remove" => new PageEdit.Remove(node),
            "insert" => new PageEdit.Insert(node, Value("block")),
            "role" => new PageEdit.Role(node, Role()),
            "take-form" => new PageEdit.TakeForm(node),
            _ => null,
        };

    // Only the stretch that was typed travels, as JSON, since a form would change its line ends.
    private PageEdit.Source? TypedSource(string source) =>
        Number("start") is { } start
        && Json("removed") is { } removed
        && Json("inserted") is { } inserted
        && new TextChange(start, removed, inserted).Apply(source) is { } changed
            ? new(changed)
            : null;

    private LinkRole Role() =>
        Value("role") switch
        {
            "buy" => LinkRole.Buy,
            "no" => LinkRole.No,
            _ => LinkRole.None,
        };

    private string Value(string name) => form[name].ToString().ReplaceLineEndings("\n");

    private string? ValueOrNull(string name) => Value(name) is { Length: > 0 } value ? value : null;

    private int? Number(string name) =>
        int.TryParse(form[name], NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : null;

    private string? Json(string name)
    {
        try
        {
            return JsonSerializer.Deserialize<string>(form[name].ToString());
        }
        catch (JsonException)
        {
            return null;
        }
    }
}
