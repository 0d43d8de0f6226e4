using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Tests;

/// <summary>Tables as people send them.</summary>
public sealed class CsvTableTests
{
    [Theory]
    [InlineData("email,tags\nann@larkrow.example, letter ")]
    [InlineData("email;tags\nann@larkrow.example;letter")]
    [InlineData("email\ttags\r\nann@larkrow.example\t\"letter\"\r\n")]
    public void Cells_are_read_whatever_stands_between_them(string text)
    {
        var table = CsvTable.Read(text, 1000, 10);
        Assert.Null(table.Problem);
        var line = Assert.Single(table.Lines);
        Assert.Equal(("ann@larkrow.example", "letter", 2), (line[table.Find("EMAIL")], line[1], line.Number));
        Assert.Equal(("", ""), (line[table.Find("none")], line[7]));
    }

    [Theory]
    [InlineData(2, null)]
    [InlineData(3, "Only the first 2 lines can be imported at once.")]
    public void Lines_beyond_the_limit_are_not_dropped_in_silence(int lines, string? problem)
    {
        var table = CsvTable.Read("email\n" + string.Concat(Enumerable.Repeat("a@b.example\n", lines)), 1000, 2);
        Assert.Equal((2, problem), (table.Lines.Count, table.Problem));
    }

    [Theory]
    [InlineData(" ", "Choose a file, or paste its lines.")]
    [InlineData("email", "The file has no lines after the header.")]
    public void What_is_no_table_says_so(string text, string problem) =>
        Assert.Equal(problem, CsvTable.Read(text, 1000, 10).Problem);

    [Theory]
    [InlineData(1024, null)]
    [InlineData(1025, "The file is larger than 1 KB. Split it and import the parts.")]
    public void A_text_that_is_too_long_is_not_read(int length, string? problem) =>
        Assert.Equal(problem, CsvTable.Read("a\n" + new string('x', length - 2), 1024, 10).Problem);
}
