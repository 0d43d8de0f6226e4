using System.Globalization;
using System.Text.Json;
using Wexil.Core.Pages;
using Wexil.Pages.Editing;

namespace Wexil.Web.Studio.Build;

/// <summary>Reads an edit from what the editor sends.</summary>
internal static class EditForm
{
    /// <summary>The edit; null when it is none that there is.</summary>
    public static PageEdit? Read(IFormCollection form, string source)
    {
        string Value(string name) => form[name].ToString().ReplaceLineEndings("\n");
        int? Number(string name) =>
            int.TryParse(form[name], NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : null;
        string? Text(string name)
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
        var kind = form["kind"].ToString();
        if (kind == "source")
        {
            // Only the stretch that was typed travels, as JSON, since a form would change its line ends.
            return
                Number("start") is { } start
                && Text("removed") is { } removed
                && Text("inserted") is { } inserted
                && new TextChange(start, removed, inserted).Apply(source) is { } changed
                ? new PageEdit.Source(changed)
                : null;
        }
        if (Number("node") is not { } node)
            return null;
        return kind switch
        {
            "text" => new PageEdit.Text(node, Value("html")),
            "picture" => new PageEdit.Picture(
                node,
                Value("file") is { Length: > 0 } file ? file : null,
                Value("alternative")
            ),
            "background" => new PageEdit.Background(node, Value("file")),
            "address" => new PageEdit.Address(node, Value("to")),
            "hint" => new PageEdit.Hint(node, Value("words")),
            "look" => new PageEdit.Look(
                node,
                Value("property"),
                Value("value") is { Length: > 0 } value ? value : null
            ),
            "move" => new PageEdit.Move(node, Value("down") == "true"),
            "duplicate" => new PageEdit.Duplicate(node),
            "hide" => new PageEdit.Hide(node),
            "show" => new PageEdit.Show(node),
            "remove" => new PageEdit.Remove(node),
            "insert" => new PageEdit.Insert(node, Value("block")),
            "role" => new PageEdit.Role(
                node,
                Value("role") switch
                {
                    "buy" => LinkRole.Buy,
                    "no" => LinkRole.No,
                    _ => LinkRole.None,
                }
            ),
            "take-form" => new PageEdit.TakeForm(node),
            _ => null,
        };
    }
}
