using Wexil.Pages.Source;

namespace Wexil.Pages.Differences;

/// <summary>What carrying a change over to a clone would do.</summary>
public enum MergeState
{
    /// <summary>Can be made on the clone without touching what the clone changed.</summary>
    Fits,

    /// <summary>The clone has it already.</summary>
    Already,

    /// <summary>The clone changed the same thing: a person chooses.</summary>
    Conflict,

    /// <summary>The clone has no such part, so there is nowhere to make the change.</summary>
    Nowhere,
}

/// <summary>What a change of the parent would do to one clone.</summary>
/// <param name="Number">The change's number among the parent's, by which a person chooses.</param>
/// <param name="Ours">What the clone has there now, where both changed the same thing.</param>
/// <param name="With">The number of the change that is made with it or not at all: one part put in the place of another
/// is taken out and added; null for none.</param>
public sealed record MergedChange(int Number, PageChange Change, MergeState State, string? Ours, int? With = null);

/// <summary>
/// Carries a later fix of a page over to a clone of it: a three-way merge of parts. The base is the parent as it was
/// when the clone last had all of it.
/// </summary>
public static class CloneMerge
{
    /// <summary>What would happen to a clone, change by change.</summary>
    public static IReadOnlyList<MergedChange> Plan(string parentBefore, string parentNow, string clone) =>
        Compare(parentBefore, parentNow, clone).Plan;

    /// <summary>The clone with the changes that a person chose, of those that fit and of those in conflict.</summary>
    /// <param name="chosen">The numbers of the changes.</param>
    public static string Apply(string parentBefore, string parentNow, string clone, IReadOnlySet<int> chosen)
    {
        var (plan, toClone, source) = Compare(parentBefore, parentNow, clone);
        var edits = new SourceEdits(clone);
        var moves = false;
        bool IsTaken(MergedChange carried) =>
            carried.State is MergeState.Fits or MergeState.Conflict
            && (chosen.Contains(carried.Number) || (carried.With is { } with && chosen.Contains(with)));
        foreach (var carried in plan)
        {
            if (!IsTaken(carried))
                continue;
            if (carried.Change.Kind == ChangeKind.Moved)
                moves = true;
            else
                Make(edits, source, carried.Change, toClone, parentNow);
        }
        var result = edits.Apply();
        // Parts are moved one by one in what the other changes made of the clone, so that they move with them.
        for (var guard = 0; moves && guard < plan.Count; guard++)
        {
            var again = Compare(parentBefore, parentNow, result);
            if (
                again.Plan.FirstOrDefault(carried =>
                    carried is { Change.Kind: ChangeKind.Moved, State: MergeState.Fits } && IsTaken(carried)
                )
                is not { } move
            )
                break;
            var moved = Move(again.Source, move.Change, again.ToClone);
            if (moved is null || moved == result)
                break;
            result = moved;
        }
        return result;
    }

    private sealed record Comparison(List<MergedChange> Plan, Dictionary<Part, Part> ToClone, SourceMap Source);

    private static Comparison Compare(string parentBefore, string parentNow, string clone)
    {
        var (before, now) = PageDifferences.Match(parentBefore, parentNow);
        var changes = PageDifferences.List(before, now);
        // The same base again, since a part knows one other page only; walked in step, the two are one.
        var map = SourceMap.Parse(clone);
        var (again, cloned) = (Part.From(SourceMap.Parse(parentBefore)), Part.From(map));
        Matching.Find(again, cloned);
        var toClone = new Dictionary<Part, Part>(ReferenceEqualityComparer.Instance);
        foreach (var (part, same) in before.All().Zip(again.All()))
            if (same.Match is { } match)
                toClone[part] = match;
        var plan = Tied([.. changes.Select((change, number) => Judge(number, change, toClone, cloned))]);
        return new(plan, toClone, map);
    }

    /// <summary>
    /// A part that is gone and one that stands in its place are one change: made by itself, either would leave a clone
    /// with both parts or with none. Where the clone changed or removed the first, both are in conflict.
    /// </summary>
    private static List<MergedChange> Tied(List<MergedChange> plan)
    {
        foreach (
            var (removed, at) in plan.Select((carried, i) => (carried, i))
                .Where(entry => entry.carried.Change.Kind == ChangeKind.Removed)
                .ToArray()
        )
        {
            var gone = removed.Change.BeforePart!;
            var place = plan.FindIndex(other =>
                other is { Change.Kind: ChangeKind.Added, With: null } && TakesPlaceOf(other.Change.AfterPart!, gone)
            );
            if (place < 0)
                continue;
            var added = plan[place];
            var isConflict =
                removed.State is MergeState.Conflict or MergeState.Already && added.State == MergeState.Fits;
            plan[place] = added with
            {
                With = at,
                State = isConflict ? MergeState.Conflict : added.State,
                Ours = isConflict ? removed.Ours ?? "nothing: it was removed here" : added.Ours,
            };
            plan[at] = removed with { With = place };
        }
        return plan;
    }

    private static bool TakesPlaceOf(Part added, Part gone) =>
        added.Tag == gone.Tag
        && added.Parent?.Match is { } parent
        && parent == gone.Parent
        && StayedBefore(added)?.Match == StayedBefore(gone);

    private static Part? StayedBefore(Part part)
    {
        var siblings = part.Parent!.Children;
        return siblings
            .Take(siblings.IndexOf(part))
            .LastOrDefault(sibling => sibling is { Match: not null, IsMoved: false });
    }

    private static MergedChange Judge(int number, PageChange change, Dictionary<Part, Part> toClone, Part clone)
    {
        if (change.Kind == ChangeKind.Added)
            return new(number, change, JudgeAdded(change.AfterPart!, toClone, clone), null);
        if (!toClone.TryGetValue(change.BeforePart!, out var ours))
        {
            var gone = change.Kind == ChangeKind.Removed ? MergeState.Already : MergeState.Nowhere;
            return new(number, change, gone, null);
        }
        var was = change.BeforePart!;
        var (state, text) = change.Kind switch
        {
            ChangeKind.Removed => (ours.Hash == was.Hash ? MergeState.Fits : MergeState.Conflict, ours.Text),
            ChangeKind.Moved => JudgeMoved(ours, Anchor(change.AfterPart!, toClone)),
            ChangeKind.Attribute or ChangeKind.Section or ChangeKind.Link or ChangeKind.Picture => (
                Weigh(
                    change.Names.All(name => Value(ours, name) == Value(was, name)),
                    change.Names.All(name => Value(ours, name) == Value(change.AfterPart!, name))
                ),
                string.Join(", ", change.Names.Select(name => Value(ours, name)).Where(value => value is not null))
            ),
            ChangeKind.Style when change.Names is [var name] => (
                Weigh(Look(ours, name) == Look(was, name), Look(ours, name) == Look(change.AfterPart!, name)),
                Look(ours, name)
            ),
            _ => (Weigh(Content(ours) == Content(was), Content(ours) == Content(change.AfterPart!)), ours.Text),
        };
        return new(number, change, state, text);
    }

    private static MergeState JudgeAdded(Part added, Dictionary<Part, Part> toClone, Part clone)
    {
        // What the clone added itself, not what both have had all along.
        if (clone.All().Any(part => part.Match is null && part.Hash == added.Hash))
            return MergeState.Already;
        return Anchor(added, toClone) is null ? MergeState.Nowhere : MergeState.Fits;
    }

    private static (MergeState, string?) JudgeMoved(Part ours, Spot? anchor)
    {
        if (anchor is not { } spot)
            return (MergeState.Nowhere, null);
        var state =
            Follows(ours, spot) ? MergeState.Already
            : ours.IsMoved ? MergeState.Conflict
            : MergeState.Fits;
        return (state, "its own place");
    }

    private static MergeState Weigh(bool isAsBefore, bool isAsNow) =>
        isAsNow ? MergeState.Already
        : isAsBefore ? MergeState.Fits
        : MergeState.Conflict;

    private static void Make(
        SourceEdits edits,
        SourceMap clone,
        PageChange change,
        Dictionary<Part, Part> toClone,
        string parentNow
    )
    {
        switch (change.Kind)
        {
            case ChangeKind.Added:
                var (place, inFront) = Anchor(change.AfterPart!, toClone)!.Value.InSource;
                var text = Outer(parentNow, change.AfterPart!);
                edits.Insert(place, inFront ? text + "\n" : "\n" + text);
                break;
            case ChangeKind.Removed when toClone[change.BeforePart!].Place is { } gone:
                edits.Replace(gone.Start, gone.End, "");
                break;
            case ChangeKind.Attribute
            or ChangeKind.Section
            or ChangeKind.Link
            or ChangeKind.Picture when toClone[change.BeforePart!].Element is { } element:
                SetAttributes(edits, clone, change, element);
                break;
            case ChangeKind.Style
                when change.Names is [var property] && toClone[change.BeforePart!].Element is { } styled:
                SetStyle(edits, clone, change, toClone, styled, property);
                break;
            default:
                SetContent(edits, change, toClone[change.BeforePart!], parentNow);
                break;
        }
    }

    private static void SetAttributes(SourceEdits edits, SourceMap clone, PageChange change, SourceElement element)
    {
        foreach (var name in change.Names)
        {
            if (Value(change.AfterPart!, name) is { } value)
                Attributes.Set(edits, clone.Source, element.Tag, name, value);
            else
                Attributes.Remove(edits, element.Tag, name);
        }
    }

    private static void SetStyle(
        SourceEdits edits,
        SourceMap clone,
        PageChange change,
        Dictionary<Part, Part> toClone,
        SourceElement styled,
        string property
    )
    {
        // Several properties of one element are one attribute: set all that the parent changed at once.
        var style = styled.Element.GetAttribute("style");
        var names = change
            .BeforePart!.Style.Concat(change.AfterPart!.Style)
            .Select(declaration => declaration.Key)
            .Distinct()
            .Where(name =>
                Look(change.BeforePart, name) != Look(change.AfterPart, name)
                && (name == property || Look(toClone[change.BeforePart], name) == Look(change.BeforePart, name))
            );
        foreach (var name in names)
            style = InlineStyle.With(style, name, Look(change.AfterPart, name));
        edits.ReplaceOnce(() => Attributes.Set(edits, clone.Source, styled.Tag, "style", style!), styled.Start);
    }

    private static void SetContent(SourceEdits edits, PageChange change, Part ours, string parentNow) =>
        edits.ReplaceOnce(
            () =>
            {
                if (ours.Element is { } held)
                    edits.Replace(held.OpenEnd, held.CloseStart, Inner(parentNow, change.AfterPart!));
                else if (ours.Place is { } run)
                    edits.Replace(run.Start, run.End, Inner(parentNow, change.AfterPart!));
            },
            -1 - (ours.Place?.Start ?? 0)
        );

    private static string? Move(SourceMap clone, PageChange change, Dictionary<Part, Part> toClone)
    {
        if (toClone[change.BeforePart!].Place is not { } from || Anchor(change.AfterPart!, toClone) is not { } anchor)
            return null;
        var (place, inFront) = anchor.InSource;
        if (place > from.Start && place < from.End)
            return null;
        var edits = new SourceEdits(clone.Source);
        var text = clone.Source[from.Start..from.End];
        edits.Replace(from.Start, from.End, "");
        edits.Insert(place, inFront ? text + "\n" : "\n" + text);
        return edits.Apply();
    }

    /// <summary>Where on the clone something belongs that stands where this part stands on the parent.</summary>
    private readonly record struct Spot(Part Beside, bool After)
    {
        public (int Place, bool InFront) InSource =>
            After ? (Beside.Place!.Value.End, false) : (Beside.Place!.Value.Start, true);
    }

    private static Spot? Anchor(Part part, Dictionary<Part, Part> toClone)
    {
        var siblings = part.Parent!.Children;
        var i = siblings.IndexOf(part);
        for (var before = i - 1; before >= 0; before--)
            if (Found(siblings[before]) is { } other)
                return new(other, After: true);
        for (var behind = i + 1; behind < siblings.Count; behind++)
            if (Found(siblings[behind]) is { } other)
                return new(other, After: false);
        return null;

        Part? Found(Part sibling) =>
            sibling is { Match: { } was, IsMoved: false }
            && toClone.TryGetValue(was, out var other)
            && other is { Place: not null, Element: not null }
                ? other
                : null;
    }

    private static bool Follows(Part part, Spot spot)
    {
        if (part.Parent != spot.Beside.Parent)
            return false;
        var siblings = part.Parent!.Children;
        var step = siblings.IndexOf(part) - siblings.IndexOf(spot.Beside);
        return spot.After ? step == 1 : step == -1;
    }

    private static string? Value(Part part, string name) => part.Attributes.GetValueOrDefault(name);

    private static string? Look(Part part, string name) =>
        part
            .Style.Where(declaration => declaration.Key == name)
            .Select(declaration => declaration.Value)
            .FirstOrDefault();

    /// <summary>What a part holds, emphasis included.</summary>
    private static (string, ulong) Content(Part part) =>
        (part.Text, part.Children.Aggregate(0UL, (sum, child) => (sum * 31) + child.Hash));

    private static string Outer(string source, Part part) =>
        part.Place is { } place ? source[place.Start..place.End] : "";

    private static string Inner(string source, Part part) =>
        part.Element is { } element ? source[element.OpenEnd..element.CloseStart] : Outer(source, part);
}
