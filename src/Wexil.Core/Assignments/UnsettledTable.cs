namespace Wexil.Core.Assignments;

/// <summary>
/// A square table of whole numbers whose rows and columns each add up to its size, to be drawn into one with a single
/// full cell in each row and column, in which every cell is full as often as its number says.
/// </summary>
/// <remarks> Cells that are neither empty nor full form circles, and along a circle what is taken from every other cell
/// is given to those between, one way round or the other by chance, so that each stays as likely as it was: R. Gandhi,
/// S. Khuller, S. Parthasarathy and A. Srinivasan, "Dependent rounding and its applications to approximation
/// algorithms", Journal of the ACM 53 (2006) 324–360. </remarks>
internal sealed class UnsettledTable(int size)
{
    private const int None = -1;

    private readonly int[] _cells = new int[size * size];

    // The cells that are neither empty nor full, by row and by column: few of many.
    private readonly List<int>[] _columnsOf = Lists(size),
        _rowsOf = Lists(size);
    private readonly int[] _settled = new int[size];

    // Where the way has left each row, and come to each column.
    private readonly int[] _leftAt = Unvisited(size),
        _metAt = Unvisited(size);
    private readonly List<(int Row, int Column)> _way = new(4 * size);

    /// <param name="part">Above 0, at most the table's size.</param>
    public void Fill(int row, int column, int part)
    {
        _cells[row * size + column] = part;
        if (part == size)
        {
            _settled[row] = column;
            return;
        }
        _columnsOf[row].Add(column);
        _rowsOf[column].Add(row);
    }

    /// <summary>The column of the full cell in each row.</summary>
    /// <param name="chance">Sixty-four bits by chance, new at each call.</param>
    public int[] Settle(Func<ulong> chance)
    {
        for (var row = 0; row < size; row++)
            while (_columnsOf[row].Count > 0)
                Turn(Circle(row), chance());
        return _settled;
    }

    private void Turn(int from, ulong chance)
    {
        // A row of the circle has one cell of each kind, and both together hold at most the whole: what one can give,
        // the other has room for.
        var (forth, back) = (size, size);
        for (var i = from; i < _way.Count; i++)
        {
            var cell = _cells[_way[i].Row * size + _way[i].Column];
            if ((i - from) % 2 == 0)
                forth = Math.Min(forth, cell);
            else
                back = Math.Min(back, cell);
        }
        var change = chance % (ulong)(forth + back) < (ulong)back ? -forth : back;
        for (var i = from; i < _way.Count; i++)
            Change(_way[i].Row, _way[i].Column, (i - from) % 2 == 0 ? change : -change);
    }

    private void Change(int row, int column, int by)
    {
        var cell = _cells[row * size + column] += by;
        if (cell > 0 && cell < size)
            return;
        _columnsOf[row].Remove(column);
        _rowsOf[column].Remove(row);
        if (cell == size)
            _settled[row] = column;
    }

    /// <summary>Goes on from a row, by turns along a row and a column, until the way meets itself.</summary>
    /// <returns>Where in the way the circle begins; it ends with the way.</returns>
    private int Circle(int row)
    {
        foreach (var (left, met) in _way)
            (_leftAt[left], _metAt[met]) = (None, None);
        _way.Clear();
        var column = None;
        while (true)
        {
            if (_leftAt[row] != None)
                return _leftAt[row];
            _leftAt[row] = _way.Count;
            column = Other(_columnsOf[row], column);
            _way.Add((row, column));
            // The cell by which the way came to the column the first time is not of the circle.
            if (_metAt[column] != None)
                return _metAt[column] + 1;
            _metAt[column] = _way.Count - 1;
            row = Other(_rowsOf[column], row);
            _way.Add((row, column));
        }
    }

    // What is neither empty nor full is never alone in its row or column, since those add up to the whole.
    private static int Other(List<int> open, int not) => open[0] != not ? open[0] : open[1];

    private static List<int>[] Lists(int size) => [.. Enumerable.Range(0, size).Select(_ => new List<int>())];

    private static int[] Unvisited(int size) => [.. Enumerable.Repeat(None, size)];
}
