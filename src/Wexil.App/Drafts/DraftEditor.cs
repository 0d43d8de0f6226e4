using Wexil.Core.Pages;
using Wexil.Pages.Editing;
using Wexil.Pages.Source;
using Wexil.Store;

namespace Wexil.App.Drafts;

/// <summary>
/// What the editor is told after it asked for something: how the draft stands, and how the page that it shows gets
/// there.
/// </summary>
/// <param name="Patch">Leads from the revision that the editor saw to this one.</param>
/// <param name="Change">The same for the source view, from the text that it holds; null when that is right
/// already.</param>
/// <param name="Node">The number of the part that the edit was about, or made; null where it is gone or not
/// known.</param>
/// <param name="Problem">Why nothing was done, as a sentence; null when it was done.</param>
/// <param name="Conflict">What stands in a text that somebody else changed at the same time; null where there is no
/// such conflict.</param>
public sealed record EditorAnswer(
    DraftStep Step,
    EditorPatch Patch,
    TextChange? Change,
    int? Node = null,
    string? Problem = null,
    string? Conflict = null
);

/// <summary>Makes the edits of a page that its editor asks for, in the order in which it asks.</summary>
public sealed class DraftEditor(DraftStore drafts, FrameServing frame, ParsedPages parsed, SettingStore settings)
{
    private const string Behind =
        "The page was changed so much in another window that this window could not keep up. It now shows the "
        + "current page.";

    /// <param name="read">Reads the edit, given the source that the editor saw; null when it does not fit that
    /// source.</param>
    public async Task<EditorAnswer> EditAsync(Page page, DraftAuthor author, Func<string, PageEdit?> read)
    {
        if (drafts.SourceAt(page, author.At) is not { } seen)
            return Refused(page, Behind);
        var before = parsed.Parse(seen);
        if (read(seen) is not { } edit)
            return Refused(page, "This edit no longer fits the page. It has been reloaded.");
        if (edit is PageEdit.Insert insert)
            edit = insert with { Brand = OwnerBrand.Read(settings) };
        Edited edited;
        // The tree is read by one at a time.
        lock (before)
            edited = PageEditor.Apply(before, edit);
        var problem = edited.Problem ?? TooLong(edited.Source!);
        if (problem is not null)
            return Refused(page, problem);
        if (edited.Source == seen)
            return Answer(page, before, seen, new(drafts.For(page), ""), edited.Node);

        var change = edited.Change ?? TextChange.Between(seen, edited.Source!);
        var step = await drafts.EditAsync(page, author, change, before.ClaimOf(edit, change), edited.Label);
        var isSource = edit is PageEdit.Source;
        if (step.Refusal is null)
            return Answer(page, before, isSource ? edited.Source! : seen, step, step.IsMerged ? null : edited.Node);
        if (step.Refusal == DraftRefusal.TooOld)
            return Refused(page, Behind);
        var answer = Answer(page, before, seen, step, null);
        return edit is PageEdit.Text text
            ? answer with
            {
                Conflict = WordsNow(before, step.Draft.Source, text.Node),
            }
            : answer with
            {
                Problem =
                    "This element was changed in another window at the same time, so your edit was not applied. "
                    + "Check it and repeat the edit if you still want it.",
            };
    }

    private static string? TooLong(string source) =>
        source.Length > PageSource.MaxLength ? $"A page can have up to {PageSource.MaxLength >> 20} MB of HTML." : null;

    /// <summary>Undoes the author's last edit, or does it again.</summary>
    /// <param name="back">Undoes; else does again.</param>
    public async Task<EditorAnswer> StepAsync(Page page, DraftAuthor author, bool back)
    {
        if (drafts.SourceAt(page, author.At) is not { } seen)
            return Refused(page, Behind);
        var step = await (back ? drafts.UndoAsync(page, author) : drafts.RedoAsync(page, author));
        var answer = Answer(page, parsed.Parse(seen), seen, step, null);
        return step.Refusal != DraftRefusal.Moved
            ? answer
            : answer with
            {
                Problem =
                    "The page was changed in another window, so nothing was "
                    + $"{(back ? "undone" : "done again")}. It has been reloaded.",
            };
    }

    /// <summary>The page as it is, for an editor that does not know where it stands.</summary>
    public EditorAnswer Whole(Page page)
    {
        var draft = drafts.For(page);
        return new(new(draft, ""), frame.For(page).Whole(parsed.Parse(draft.Source)), null);
    }

    /// <summary>Nothing was done, and the editor shows the page as it is.</summary>
    public EditorAnswer Refused(Page page, string problem) => Whole(page) with { Problem = problem };

    private EditorAnswer Answer(Page page, ParsedPage before, string shown, DraftStep step, int? node)
    {
        var after = parsed.Parse(step.Draft.Source);
        return new(
            step,
            frame.For(page).Between(before, after, step.Change),
            shown == step.Draft.Source ? null : TextChange.Between(shown, step.Draft.Source),
            node
        );
    }

    /// <summary>The words of a part as another window left it; empty where it was removed.</summary>
    private string WordsNow(ParsedPage before, string now, int node)
    {
        var page = parsed.Parse(now);
        var change = TextChange.Between(before.Source, now);
        var place = before.StartOf(node) ?? 0;
        if (place >= change.Start + change.Removed.Length)
            place += change.Inserted.Length - change.Removed.Length;
        return page.PartAt(place) is { } part ? page.WordsOf(part) ?? "" : "";
    }
}
