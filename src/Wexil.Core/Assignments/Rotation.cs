using Wexil.Core.SplitTests;

namespace Wexil.Core.Assignments;

/// <summary>
/// Whose turn it is when pages take turns exactly to weight: after any number of turns each page has had its share to
/// within one. Within that the order is drawn, and each turn is a page's as often as its weight says, so that two tests
/// whose visitors come in the same order do not go in step.
/// </summary>
/// <remarks> Each turn of a page has a window, as in S. Baruah, N. Cohen, C. Plaxton and D. Varvel, "Proportionate
/// progress: a notion of fairness in resource allocation", Algorithmica 15 (1996) 600–625; which visitor gets it is
/// drawn by dependent rounding: R. Gandhi, S. Khuller, S. Parthasarathy and A. Srinivasan, Journal of the ACM 53 (2006)
/// 324–360. Not safe for several threads at once: it keeps the rounds that it has drawn. </remarks>
/// <param name="seed">Of the phase: turns go on as they would have after a start.</param>
public sealed class Rotation(Weights weights, ulong seed)
{
    // Turns of one round, after which all shares are whole: at most a hundred.
    private readonly int[] _shares =
    [
        .. weights.Percent.Select(weight => weight / weights.Percent.Aggregate(0, Divisor)),
    ];
    private readonly Dictionary<long, int[]> _rounds = [];

    /// <summary>The page whose turn is next.</summary>
    /// <param name="had">The turns that each page has had, in the order of the weights. Turns lost or given out of
    /// order right themselves.</param>
    public int Next(ReadOnlySpan<long> had)
    {
        // Before this round no page is owed anything.
        var round = long.MaxValue;
        for (var page = 0; page < _shares.Length; page++)
            if (_shares[page] > 0)
                round = Math.Min(round, had[page] / _shares[page]);
        Span<long> due = stackalloc long[_shares.Length];
        for (var page = 0; page < _shares.Length; page++)
            due[page] = round * _shares[page];
        for (; ; round++)
        {
            foreach (var page in Round(round))
                if (++due[page] > had[page])
                    return page;
        }
    }

    /// <summary>The next so many turns in order, with none taken.</summary>
    public IReadOnlyList<int> Upcoming(ReadOnlySpan<long> had, int turns)
    {
        var counts = had.ToArray();
        var order = new int[turns];
        for (var i = 0; i < turns; i++)
        {
            order[i] = Next(counts);
            counts[order[i]]++;
        }
        return order;
    }

    private int[] Round(long number)
    {
        if (_rounds.TryGetValue(number, out var known))
            return known;
        // What is behind is not asked for again, but for a page that lags.
        if (_rounds.Count > 8)
            _rounds.Clear();
        return _rounds[number] = MakeRound(number);
    }

    /// <summary>Draws the order of a round.</summary>
    private int[] MakeRound(long number)
    {
        var turns = _shares.Sum();
        var pages = Enumerable
            .Range(0, _shares.Length)
            .SelectMany(page => Enumerable.Repeat(page, _shares[page]))
            .ToArray();
        // A column for each turn of each page. A cell is how likely, in parts of the round's length, it falls on the
        // turn of its row: by
        // how much the page's steady flow fills it meanwhile. Rows and columns add up to the whole.
        var table = new UnsettledTable(turns);
        for (int column = 0, nth = 0; column < turns; column++)
        {
            nth = column > 0 && pages[column] == pages[column - 1] ? nth + 1 : 0;
            var share = _shares[pages[column]];
            for (var row = nth * turns / share; row < turns && row * share < (nth + 1) * turns; row++)
                table.Fill(
                    row,
                    column,
                    Math.Min((row + 1) * share, (nth + 1) * turns) - Math.Max(row * share, nth * turns)
                );
        }
        var step = 0ul;
        return Array.ConvertAll(table.Settle(() => HashBucket.Bits(seed, (ulong)number, step++)), column =>
            pages[column]
        );
    }

    private static int Divisor(int a, int b) => b == 0 ? a : Divisor(b, a % b);
}
