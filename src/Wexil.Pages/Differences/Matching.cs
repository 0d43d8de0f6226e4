namespace Wexil.Pages.Differences;

/// <summary>
/// Finds which part of one page is which part of another. Equal parts are found first, in order where they stand in
/// order; then parts in the same gap that are alike; then parts that stand elsewhere now. After Chawathe et al.,
/// "Change Detection in Hierarchically Structured Information", SIGMOD 1996, and Falleri et al., "Fine-grained and
/// Accurate Source Code Differencing", ASE 2014.
/// </summary>
internal sealed class Matching
{
    private const long LargestTable = 4_000_000;
    private const double AlikeEnough = .3,
        MovedAndChanged = .6;

    private readonly HashSet<ulong> _inBefore,
        _inAfter;
    private readonly List<Part> _gone = [],
        _new = [];

    private Matching(Part before, Part after)
    {
        _inBefore = [.. before.All().Select(part => part.Hash)];
        _inAfter = [.. after.All().Select(part => part.Hash)];
    }

    /// <summary>Sets <see cref="Part.Match"/> and <see cref="Part.IsMoved"/> on both pages.</summary>
    public static void Find(Part before, Part after)
    {
        var matching = new Matching(before, after);
        matching.Pair(before, after);
        matching.FindMoved();
    }

    private void Pair(Part before, Part after)
    {
        var open = new Stack<(Part, Part)>([(before, after)]);
        while (open.TryPop(out var pair))
        {
            var (b, a) = pair;
            (b.Match, a.Match) = (a, b);
            if (b.Hash == a.Hash)
            {
                for (var i = 0; i < b.Children.Count; i++)
                    open.Push((b.Children[i], a.Children[i]));
                continue;
            }
            foreach (var aligned in Align(b.Children, a.Children))
            {
                if (aligned is ({ } x, { } y))
                    open.Push((x, y));
                else if (aligned.Before is { } gone)
                    _gone.Add(gone);
                else if (aligned.After is { } added)
                    _new.Add(added);
            }
        }
    }

    private IEnumerable<(Part? Before, Part? After)> Align(List<Part> before, List<Part> after)
    {
        var (start, endB, endA) = (0, before.Count, after.Count);
        while (start < endB && start < endA && before[start].Hash == after[start].Hash)
            yield return (before[start], after[start++]);
        while (endB > start && endA > start && before[endB - 1].Hash == after[endA - 1].Hash)
            yield return (before[--endB], after[--endA]);
        var (b, a) = (start, start);
        foreach (var (nextB, nextA) in InOrder(before, after, start, endB, endA).Append((endB, endA)))
        {
            foreach (var pair in Gap(before[b..nextB], after[a..nextA]))
                yield return pair;
            if (nextB < endB)
                yield return (before[nextB], after[nextA]);
            (b, a) = (nextB + 1, nextA + 1);
        }
    }

    /// <summary>
    /// Equal parts in the same order, as much of the page as possible: the longest common subsequence by weight.
    /// </summary>
    private static List<(int, int)> InOrder(List<Part> before, List<Part> after, int start, int endB, int endA)
    {
        var (n, m) = (endB - start, endA - start);
        if ((long)n * m > LargestTable)
            return Increasing(before, after, start, endB, endA);
        var best = new int[n + 1, m + 1];
        for (var i = n - 1; i >= 0; i--)
        {
            for (var j = m - 1; j >= 0; j--)
            {
                best[i, j] = Math.Max(best[i + 1, j], best[i, j + 1]);
                if (before[start + i].Hash == after[start + j].Hash)
                    best[i, j] = Math.Max(best[i, j], best[i + 1, j + 1] + before[start + i].Weight);
            }
        }
        var pairs = new List<(int, int)>();
        var (x, y) = (0, 0);
        while (x < n && y < m)
        {
            if (
                before[start + x].Hash == after[start + y].Hash
                && best[x, y] == best[x + 1, y + 1] + before[start + x].Weight
            )
                pairs.Add((start + x++, start + y++));
            else if (best[x, y] == best[x + 1, y])
                x++;
            else
                y++;
        }
        return pairs;
    }

    /// <summary>
    /// For very long lists: equal parts that occur once on either side, the longest increasing run of them.
    /// </summary>
    private static List<(int, int)> Increasing(List<Part> before, List<Part> after, int start, int endB, int endA)
    {
        var once = Enumerable
            .Range(start, endA - start)
            .GroupBy(j => after[j].Hash)
            .Where(group => group.Count() == 1)
            .ToDictionary(group => group.Key, group => group.First());
        var pairs = Enumerable
            .Range(start, endB - start)
            .GroupBy(i => before[i].Hash)
            .Where(group => group.Count() == 1 && once.ContainsKey(group.Key))
            .Select(group => (B: group.First(), A: once[group.Key]))
            .OrderBy(pair => pair.B)
            .ToArray();
        var tails = new List<int>();
        var previous = new int[pairs.Length];
        for (var i = 0; i < pairs.Length; i++)
        {
            var (low, high) = (0, tails.Count);
            while (low < high)
            {
                var middle = (low + high) / 2;
                if (pairs[tails[middle]].A < pairs[i].A)
                    low = middle + 1;
                else
                    high = middle;
            }
            previous[i] = low > 0 ? tails[low - 1] : -1;
            if (low == tails.Count)
                tails.Add(i);
            else
                tails[low] = i;
        }
        var result = new List<(int, int)>();
        for (var i = tails.Count > 0 ? tails[^1] : -1; i >= 0; i = previous[i])
            result.Add(pairs[i]);
        result.Reverse();
        return result;
    }

    /// <summary>Between two parts that stayed: which of those before became which of those after.</summary>
    private IEnumerable<(Part?, Part?)> Gap(List<Part> before, List<Part> after)
    {
        // What occurs unchanged on the other page was moved or duplicated, and is not another part changed.
        var b = before.Where(part => !_inAfter.Contains(part.Hash)).ToList();
        var a = after.Where(part => !_inBefore.Contains(part.Hash)).ToList();
        foreach (var part in before.Where(part => _inAfter.Contains(part.Hash)))
            yield return (part, null);
        foreach (var part in after.Where(part => _inBefore.Contains(part.Hash)))
            yield return (null, part);
        if ((long)b.Count * a.Count > LargestTable / 16)
            (b, a) = Cut(b, a);
        foreach (var pair in BestPairs(b, a))
            yield return pair;

        // A gap too large to be looked at whole is compared place by place.
        (List<Part>, List<Part>) Cut(List<Part> left, List<Part> right)
        {
            const int longest = 500;
            foreach (var part in left.Skip(longest))
                _gone.Add(part);
            foreach (var part in right.Skip(longest))
                _new.Add(part);
            return ([.. left.Take(longest)], [.. right.Take(longest)]);
        }
    }

    // The pairs of the highest score together that keep both orders, by dynamic programming.
    private static IEnumerable<(Part?, Part?)> BestPairs(List<Part> before, List<Part> after)
    {
        var best = new double[before.Count + 1, after.Count + 1];
        var scores = new double[before.Count, after.Count];
        var isAlone = before.Count == 1 && after.Count == 1;
        for (var i = before.Count - 1; i >= 0; i--)
        {
            for (var j = after.Count - 1; j >= 0; j--)
            {
                scores[i, j] = Score(before[i], after[j], isAlone);
                var paired = scores[i, j] > 0 ? best[i + 1, j + 1] + scores[i, j] : 0;
                best[i, j] = Math.Max(Math.Max(best[i + 1, j], best[i, j + 1]), paired);
            }
        }
        int x = 0,
            y = 0;
        while (x < before.Count && y < after.Count)
        {
            if (scores[x, y] > 0 && best[x, y] <= best[x + 1, y + 1] + scores[x, y])
                yield return (before[x++], after[y++]);
            else if (best[x, y] <= best[x + 1, y])
                yield return (before[x++], null);
            else
                yield return (null, after[y++]);
        }
        while (x < before.Count)
            yield return (before[x++], null);
        while (y < after.Count)
            yield return (null, after[y++]);
    }

    /// <summary>How well one part passes for another changed; 0 when it does not.</summary>
    private static double Score(Part before, Part after, bool alone)
    {
        if (before.Tag != after.Tag)
            return 0;
        // A page has one body; there is nothing to weigh, and a great deal to read.
        if (alone && before.Tag is "html" or "head" or "body" or "main")
            return 1;
        var likeness = before.Likeness(after);
        var sameId =
            before.Attributes.GetValueOrDefault("id") is { Length: > 0 } id
            && after.Attributes.GetValueOrDefault("id") == id;
        var sameClass = before.Attributes.GetValueOrDefault("class") == after.Attributes.GetValueOrDefault("class");
        // A paragraph with other words is that paragraph rewritten; a section with other words is another section.
        var single = before.IsLeaf || before.Children.Count == 0;
        // One thing between two that stayed, of the same make: it was rewritten, piece by piece.
        var sameMake =
            alone
            && before.Children.Select(child => child.Tag).SequenceEqual(after.Children.Select(child => child.Tag));
        var passes = single
            ? alone || likeness > .1 || sameId || sameClass
            : likeness >= AlikeEnough
                || sameId
                || (sameMake && sameClass)
                || before.Parent?.Parent is null
                || (sameClass && likeness >= AlikeEnough / 2);
        return passes ? .1 + likeness + (sameId ? 1 : 0) + (sameClass ? .05 : 0) : 0;
    }

    private void FindMoved()
    {
        var places = new Dictionary<ulong, Queue<Part>>();
        foreach (var part in _new.SelectMany(root => root.All()))
        {
            if (!places.TryGetValue(part.Hash, out var queue))
                places[part.Hash] = queue = new();
            queue.Enqueue(part);
        }
        foreach (var gone in MoveUnchanged(places).Where(part => part.Match is null && part.Text.Length > 20))
            if (MovedAndChangedTo(gone) is { } place)
                Move(gone, place);
    }

    /// <returns>What is left.</returns>
    private List<Part> MoveUnchanged(Dictionary<ulong, Queue<Part>> places)
    {
        var left = new List<Part>();
        var open = new Stack<Part>(_gone.AsEnumerable().Reverse());
        while (open.TryPop(out var gone))
        {
            Part? place = null;
            while (
                places.TryGetValue(gone.Hash, out var queue) && queue.TryDequeue(out place) && place.Match is not null
            )
                place = null;
            if (place is not null)
            {
                Move(gone, place);
                continue;
            }
            left.Add(gone);
            // Of a part that is gone, pieces may have stayed.
            if (gone is { IsLeaf: false })
                for (var i = gone.Children.Count - 1; i >= 0; i--)
                    open.Push(gone.Children[i]);
        }
        return left;
    }

    private Part? MovedAndChangedTo(Part gone) =>
        _new.Where(part =>
                part.Match is null
                && part.Tag == gone.Tag
                && !_inBefore.Contains(part.Hash)
                && Math.Max(part.Weight, gone.Weight) < 3 * Math.Min(part.Weight, gone.Weight)
            )
            .Select(part => (Part: part, Likeness: gone.Likeness(part)))
            .Where(found => found.Likeness >= MovedAndChanged)
            .OrderByDescending(found => found.Likeness)
            .FirstOrDefault()
            .Part;

    private void Move(Part gone, Part place)
    {
        (gone.IsMoved, place.IsMoved) = (true, true);
        Pair(gone, place);
    }
}
