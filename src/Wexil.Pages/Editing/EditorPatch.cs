using AngleSharp.Dom;
using Wexil.Core.Pages;
using Wexil.Pages.Serving;
using Wexil.Pages.Source;

namespace Wexil.Pages.Editing;

/// <summary>
/// What has to change in a page that stands in the editor so that it shows another source: the numbers of the elements
/// behind the change, and the markup of the smallest run of neighbours that holds it. The page itself is never loaded
/// again.
/// </summary>
/// <param name="From">The number of the first element, in the page as it stands, that begins in the change.</param>
/// <param name="To">The number of the first element behind it.</param>
/// <param name="Shift">What the numbers from <paramref name="To"/> on rise by.</param>
/// <param name="Parent">The element that the run stands in, by its number, which does not change; null for the body of
/// a page that does not write one.</param>
/// <param name="Before">The element in front of the run, by its number in the page as it stands; null when the run
/// begins with its parent.</param>
/// <param name="After">The element behind the run, by its number in the page as it stands; null when the run ends with
/// its parent.</param>
/// <param name="Html">The run's markup, made ready and numbered; for a whole document all of it.</param>
/// <param name="Kind">What the markup is.</param>
public sealed record EditorPatch(
    EditorPatchKind Kind,
    int From,
    int To,
    int Shift,
    int? Parent,
    int? Before,
    int? After,
    string Html
)
{
    // What a page is built on: with another one it is built anew.
    private static readonly HashSet<string> Foundations = ["html", "base", "script"];

    /// <summary>The patch that leads from one source to another.</summary>
    /// <param name="serving">How the page is made ready for the editor.</param>
    /// <param name="known">What was done, where that is known: of two equal neighbours it tells which one was
    /// removed.</param>
    public static EditorPatch Between(
        ParsedPage before,
        ParsedPage after,
        PageServing serving,
        TextChange? known = null
    )
    {
        var (old, now) = (before.Map, after.Map);
        if (old.Source == now.Source)
            return new(EditorPatchKind.Nothing, 0, 0, 0, null, null, null, "");
        var change = known ?? TextChange.Between(old.Source, now.Source);
        var (start, oldEnd, newEnd) = (
            change.Start,
            change.Start + change.Removed.Length,
            change.Start + change.Inserted.Length
        );
        var shift = now.Elements.Count - old.Elements.Count;
        var node = old.CountBefore(start) - 1;
        if (
            shift == 0
            && TagOnly(old, now, start, oldEnd, newEnd, node) is { } tag
            && IsSameOutside(old, now, node + 1, node + 1, 0)
        )
            return tag with { Html = OpenTag(now, node, serving) };
        return InRun(old, now, start, oldEnd, newEnd, serving) ?? Whole(now, old.Elements.Count, serving);
    }

    private static EditorPatch? InRun(
        SourceMap old,
        SourceMap now,
        int start,
        int oldEnd,
        int newEnd,
        PageServing serving
    )
    {
        // A tag is changed as a whole: half of one may well be half of another.
        start = Math.Min(TagAround(old, start)?.Start ?? start, TagAround(now, start)?.Start ?? start);
        var rest = Math.Max(
            (TagAround(old, oldEnd)?.OpenEnd ?? oldEnd) - oldEnd,
            (TagAround(now, newEnd)?.OpenEnd ?? newEnd) - newEnd
        );
        (oldEnd, newEnd) = (Math.Max(oldEnd, start) + rest, Math.Max(newEnd, start) + rest);
        for (
            var parent = Innermost(old, start, oldEnd, old.CountBefore(start) - 1);
            parent is not null;
            parent = old.Find(parent.Element.ParentElement!)
        )
        {
            if (RunIn(old, now, parent, start, oldEnd, newEnd) is { } run)
                return run.IsFoundation
                    ? run.Patch with
                    {
                        Kind = EditorPatchKind.Document,
                    }
                    : run.Patch with
                    {
                        Html = HostedHtml.PrepareStretch(now, run.Start, run.End, serving),
                    };
            if (parent.Element.ParentElement is null)
                break;
        }
        return null;
    }

    /// <summary>All of a page, for a frame that cannot be led there in steps.</summary>
    public static EditorPatch Whole(ParsedPage page, PageServing serving) => Whole(page.Map, 0, serving);

    /// <summary>A whole page that was made ready before.</summary>
    public static EditorPatch Body(string html) => new(EditorPatchKind.Body, 0, 0, 0, null, null, null, html);

    private static EditorPatch Whole(SourceMap now, int count, PageServing serving) =>
        new(
            EditorPatchKind.Body,
            0,
            count,
            0,
            null,
            null,
            null,
            HostedHtml.PrepareStretch(now, 0, now.Source.Length, serving)
        );

    /// <summary>
    /// Markup that was never well formed can move what stands elsewhere: are the elements outside of the change where
    /// they were?
    /// </summary>
    private static bool IsSameOutside(SourceMap old, SourceMap now, int from, int to, int shift)
    {
        for (var i = 0; i < from; i++)
            if (!IsSame(i, i))
                return false;
        for (var i = to; i < old.Elements.Count; i++)
            if (!IsSame(i, i + shift))
                return false;
        return true;

        bool IsSame(int oldId, int newId)
        {
            var (one, other) = (old.Elements[oldId], now.Elements[newId]);
            if (
                one.Name != other.Name
                || one.Element.ParentElement?.LocalName != other.Element.ParentElement?.LocalName
            )
                return false;
            var (oneParent, otherParent) = (Parent(old, one), Parent(now, other));
            // A part whose parent is part of the change has another one in any case, and comes with the change.
            if (oneParent is >= 0 && oneParent >= from && oneParent < to)
                return true;
            return (oneParent >= to ? oneParent + shift : oneParent) == otherParent;
        }

        static int Parent(SourceMap map, SourceElement element) =>
            element.Element.ParentElement is { } parent && map.Find(parent) is { } placed ? placed.Id : -1;
    }

    /// <summary>The change lies in one start tag: nothing but its attributes has to be set.</summary>
    private static EditorPatch? TagOnly(SourceMap old, SourceMap now, int start, int oldEnd, int newEnd, int node)
    {
        if (
            old.Find(node) is not { } element
            || now.Find(node) is not { } changed
            || Foundations.Contains(element.Name)
        )
            return null;
        var isInside =
            changed.Start == element.Start
            && start > element.Start
            && oldEnd < element.OpenEnd
            && newEnd < changed.OpenEnd
            && element.OpenEnd - oldEnd == changed.OpenEnd - newEnd;
        return isInside ? new(EditorPatchKind.Tag, node, node, 0, node, null, null, "") : null;
    }

    /// <summary>The element whose start tag a place lies inside of; null when it lies in none.</summary>
    private static SourceElement? TagAround(SourceMap map, int place) =>
        map.Find(map.CountBefore(place) - 1) is { } element && place < element.OpenEnd ? element : null;

    private static string OpenTag(SourceMap map, int node, PageServing serving)
    {
        var element = map.Elements[node];
        return HostedHtml.PrepareStretch(map, element.Start, element.OpenEnd, serving);
    }

    /// <summary>
    /// The run of a parent's children that holds the change; null when the parent is text itself, or cannot be taken
    /// apart there.
    /// </summary>
    private static (EditorPatch Patch, int Start, int End, bool IsFoundation)? RunIn(
        SourceMap old,
        SourceMap now,
        SourceElement parent,
        int start,
        int oldEnd,
        int newEnd
    )
    {
        if (!parent.IsWhole || now.Find(parent.Id) is not { IsWhole: true } same || same.Name != parent.Name)
            return null;
        if (IsReadWhole(parent))
            return null;
        if (Neighbours(old, parent, start, oldEnd) is not (var before, var after))
            return null;
        var runStart = before?.End ?? parent.OpenEnd;
        var runEnd = after is null ? same.CloseStart : after.Start - oldEnd + newEnd;
        if (
            runStart > start
            || runEnd < newEnd
            || (after is null && same.CloseStart - newEnd != parent.CloseStart - oldEnd)
        )
            return null;
        var (from, to) = (old.CountBefore(runStart), old.CountBefore(after?.Start ?? parent.CloseStart));
        var shift = now.Elements.Count - old.Elements.Count;
        if (before is not null && (now.Find(before.Id) is not { } stillBefore || stillBefore.End != before.End))
            return null;
        if (after is not null && (now.Find(after.Id + shift) is not { } stillAfter || stillAfter.Start != runEnd))
            return null;
        if (to + shift < from || !IsSameOutside(old, now, from, to, shift) || !StandsAlone(now, same, runStart, runEnd))
            return null;
        var isFoundation =
            parent.Name == "html" || HasFoundation(old, from, to) || HasFoundation(now, from, to + shift);
        return (
            new(EditorPatchKind.Run, from, to, shift, parent.Id, before?.Id, after?.Id, ""),
            runStart,
            runEnd,
            isFoundation
        );
    }

    private static bool IsReadWhole(SourceElement parent) =>
        // A browser reads these otherwise than by themselves.
        parent.Element.NamespaceUri != NamespaceNames.HtmlUri
        || parent.Name is "noscript" or "template" or "pre" or "textarea"
        // Text and its emphasis are one part, which somebody may be typing in.
        || parent.Element.ChildNodes.Any(node => node is IText text && !string.IsNullOrWhiteSpace(text.Data));

    /// <summary>The children that stand around a change; null where browsers move them about.</summary>
    private static (SourceElement? Before, SourceElement? After)? Neighbours(
        SourceMap map,
        SourceElement parent,
        int start,
        int end
    )
    {
        SourceElement? before = null;
        var last = parent.OpenEnd;
        foreach (var child in parent.Element.Children)
        {
            // What browsers moved stands elsewhere than in the source.
            if (map.Find(child) is not { } placed || placed.Start < last)
                return null;
            last = placed.End;
            if (placed.End <= start)
                before = placed;
            else if (placed.Start >= end)
                return (before, placed);
        }
        return (before, null);
    }

    /// <summary>
    /// Is a run by itself what it is in the page? A browser reads markup that is not well formed otherwise where more
    /// stands around it.
    /// </summary>
    private static bool StandsAlone(SourceMap map, SourceElement parent, int start, int end)
    {
        var alone = BoundedParser
            .Fragment(map.Source[start..end], parent.Element)
            .SelectMany(node => node is IElement element ? element.QuerySelectorAll("*").Prepend(element) : []);
        var held = parent.Element.QuerySelectorAll("*");
        // Of what browsers add by themselves, only the parts of tables are where they were expected.
        if (held.Any(element => map.Find(element) is null && element.LocalName is not ("tbody" or "colgroup" or "tr")))
            return false;
        var inPage = held.Where(element =>
            map.Find(element) is not { } placed || (placed.Start >= start && placed.Start < end)
        );
        return alone.Select(element => element.LocalName).SequenceEqual(inPage.Select(element => element.LocalName));
    }

    private static bool HasFoundation(SourceMap map, int from, int to)
    {
        for (var i = from; i < to; i++)
            if (Foundations.Contains(map.Elements[i].Name))
                return true;
        return false;
    }

    /// <summary>The innermost element that holds the stretch between its tags.</summary>
    private static SourceElement? Innermost(SourceMap map, int start, int end, int last)
    {
        for (var i = last; i >= 0; i--)
        {
            var element = map.Elements[i];
            if (element.OpenEnd <= start && element.CloseStart >= end)
                return element;
        }
        return null;
    }
}

/// <summary>What an editor's patch holds.</summary>
public enum EditorPatchKind
{
    /// <summary>The page stands as it is.</summary>
    Nothing,

    /// <summary>A start tag: only its attributes have changed.</summary>
    Tag,

    /// <summary>Neighbours: they take the place of those that stand there.</summary>
    Run,

    /// <summary>A whole document, whose body takes the place of the one that stands there.</summary>
    Body,

    /// <summary>
    /// What the page is built on has changed: the document has to be built anew, once nobody is writing in it.
    /// </summary>
    Document,
}
