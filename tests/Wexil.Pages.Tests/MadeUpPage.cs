using System.Text;
using CsCheck;

namespace Wexil.Pages.Tests;

/// <summary>
/// Pages made at random: a headline, and sections of a heading with paragraphs, pictures, lists and buttons. No two
/// parts say the same.
/// </summary>
internal sealed record MadeUpPage(IReadOnlyList<MadeUpPage.Section> Sections)
{
    private static readonly string[] Words =
    [
        "balcony",
        "salad",
        "water",
        "light",
        "pot",
        "seed",
        "week",
        "sow",
        "rail",
        "herb",
        "basil",
        "frost",
        "soil",
        "crop",
        "bee",
        "shade",
    ];

    private static readonly string[] Fragments =
    [
        "<div>",
        "</div>",
        "<p>",
        "</p>",
        "<b>",
        "</b>",
        "<a href=x>",
        "</a>",
        "<h1>",
        "</h1>",
        "<ul><li>",
        "</ul>",
        "<table>",
        "<tr>",
        "<td>",
        "</table>",
        "<img src=a.png>",
        "<br>",
        "<svg>",
        "<path/>",
        "</svg>",
        "<script>a<b</script>",
        "<style>b{c:d}</style>",
        "<!-- c -->",
        "<!--",
        "<form>",
        "<input type=email>",
        "</form>",
        "<section id=s>",
        "</section>",
        "&amp;",
        "&",
        "<",
        ">",
        "\"",
        " ",
        "\n",
        "word",
        "é🌱",
        "</",
        "<x-y>",
        "<template>",
        "<select><option>",
    ];

    /// <summary>Markup that nobody would write and that browsers show all the same.</summary>
    public static Gen<string> Garbage { get; } =
        Gen.Int[0, Fragments.Length - 1].Select(i => Fragments[i]).Array[0, 30].Select(string.Concat);

    internal sealed record Section(int Number, IReadOnlyList<Block> Blocks)
    {
        public string Html =>
            $"  <section id=\"s{Number}\">\n    <h2>Part {Number} of the "
            + $"letter</h2>\n{string.Concat(Blocks.Select(block => block.Html))}  </section>\n";
    }

    internal sealed record Block(string Kind, int Number, string Text)
    {
        public string Html =>
            Kind switch
            {
                "img" => $"    <img src=\"p{Number}.png\" alt=\"{Text}\">\n",
                "ul" => $"    <ul>\n      <li>{Text} one\n      <li>{Text} two &amp; more\n    </ul>\n",
                "a" => $"    <a class=\"btn\" href=\"/go/n{Number}\" style=\"color: #fff; background-color: "
                    + $"#2d6a3e\">{Text}</a>\n",
                _ => $"    <p>{Text} <b>now</b> &mdash; {Number}</p>\n",
            };
    }

    public string Html =>
        "<!doctype html>\n<html lang=en>\n<head><meta charset=utf-8><title>Made "
        + "up</title></head>\n<body>\n<main>\n  <h1>The headline of this "
        + $"page</h1>\n{string.Concat(Sections.Select(section => section.Html))}</main>\n</body>\n</html>\n";

    public static Gen<MadeUpPage> Any { get; } =
        Gen.Select(Gen.Int[2, 6], Gen.Int[0, 1_000_000])
            .Select(
                (sections, seed) =>
                {
                    var random = new Random(seed);
                    var number = 0;
                    return new MadeUpPage([
                        .. Enumerable
                            .Range(1, sections)
                            .Select(section => new Section(
                                section,
                                [
                                    .. Enumerable
                                        .Range(0, random.Next(1, 5))
                                        .Select(_ => new Block(
                                            new[] { "p", "p", "img", "ul", "a" }[random.Next(5)],
                                            ++number,
                                            Sentence(random, number)
                                        )),
                                ]
                            )),
                    ]);
                }
            );

    private static string Sentence(Random random, int number)
    {
        var text = new StringBuilder($"No {number}");
        for (var i = random.Next(3, 9); i > 0; i--)
            text.Append(' ').Append(Words[random.Next(Words.Length)]);
        return text.ToString();
    }
}
