using System.Diagnostics;
using CsCheck;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Tests;

/// <summary>Tables as people send them.</summary>
public sealed class CsvTableTests
{
    [Theory]
    [InlineData("email,tags\nann@larkrow.example, letter ")]
    [InlineData("email;tags\nann@larkrow.example;letter")]
    [InlineData("\ufeffemail,tags\nann@larkrow.example,letter")]
    [InlineData("\ufeffsep=;\r\nemail;tags\nann@larkrow.example;letter")]
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
    [InlineData("a,b\n\"x, \"\"y\"\"\", z ", "x, \"y\"", "z", 2)]
    [InlineData("a,b\r\n\r\n\"one\ntwo\",3\r\n", "one\ntwo", "3", 3)]
    [InlineData("a,b\n5\" pot,\"x\"y", "5\" pot", "xy", 2)]
    [InlineData("a,b\n,\"never closed", "", "never closed", 2)]
    [InlineData("a;b;c\n1,5;2;", "1,5", "2", 2)]
    public void Quotes_and_lines_within_cells_are_read_as_they_are_meant(
        string text,
        string first,
        string second,
        int number
    )
    {
        var line = Assert.Single(CsvTable.Read(text, 1000, 10).Lines);
        Assert.Equal((first, second, number), (line[0], line[1], line.Number));
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

    [Fact]
    [Trait("For", "security")]
    [Trait("Pace", "slow")]
    public void Whatever_is_made_up_is_read_or_refused_within_two_seconds_and_200_MB()
    {
        const int longest = 512 << 10;
        string[] pieces =
        [
            "\"",
            "\"\"",
            ",",
            ";",
            "\t",
            "|",
            "\n",
            "\r\n",
            "x",
            "=1",
            " ",
            "\0",
            "\"x\",",
            "\"\n",
            "a,b\n",
        ];
        Gen.Select(Gen.OneOf([.. pieces.Select(Gen.Const)]).Array[1, 5], Gen.Int[1, longest])
            .Array[1, 4]
            .AlwaysHolds(
                parts =>
                {
                    var text = string.Concat(
                        parts.Select(part =>
                            string.Concat(
                                Enumerable.Repeat(string.Concat(part.Item1), part.Item2 / part.Item1.Length / 3)
                            )
                        )
                    );
                    text = text[..Math.Min(text.Length, longest)];
                    var (watch, allocated) = (Stopwatch.StartNew(), GC.GetAllocatedBytesForCurrentThread());
                    var table = CsvTable.Read(text, longest, 10_000);
                    allocated = GC.GetAllocatedBytesForCurrentThread() - allocated;
                    Assert.True(table.Lines.Count <= 10_000);
                    // Alone it takes two at most; other tests run beside it.
                    Assert.True(watch.Elapsed < TimeSpan.FromSeconds(4), $"{watch.Elapsed} for {text.Length}");
                    Assert.True(allocated < 200e6, $"{allocated / 1e6:0} MB for {text.Length}");
                },
                iter: 100
            );
    }
}
