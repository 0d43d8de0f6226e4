using System.Globalization;
using AngleSharp.Dom;
using AngleSharp.Html.Parser;
using CsCheck;
using Wexil.Pages.Editing;
using Wexil.Pages.Serving;

namespace Wexil.Pages.Tests;

/// <summary>
/// A page that stands in the editor is led from one source to the next, and is then the page that loading it anew would
/// show.
/// </summary>
public sealed class EditorPatchTests
{
    private static readonly PageServing Serving = new(
        "index.html",
        "/p/p/",
        new("p", "s", "https://go.example", []),
        View: PageView.Editor
    );

    [Fact]
    public void After_any_edit_the_page_led_along_is_the_page_loaded_anew() =>
        Gen.Select(MadeUpPage.Any, Gen.Int[0, 10_000].Array[1, 5], Gen.Int[0, 8].Array[5])
            .AlwaysHolds(
                (page, picks, kinds) =>
                {
                    var source = page.Html;
                    var shown = Load(source);
                    for (var i = 0; i < picks.Length; i++)
                    {
                        var before = ParsedPage.From(source);
                        var made = PageEditor.Apply(before, Edit(before, picks[i], kinds[i]));
                        if (made.Source is not { } edited)
                            continue;
                        Assert.Equal(edited, made.Change!.Apply(source));
                        Assert.Equal(source, made.Change.Reversed.Apply(edited));
                        var patch = EditorPatch.Between(
                            before,
                            ParsedPage.From(edited),
                            Serving,
                            picks[i] % 2 == 0 ? made.Change : null
                        );
                        Assert.Contains(
                            patch.Kind,
                            new[] { EditorPatchKind.Run, EditorPatchKind.Tag, EditorPatchKind.Nothing }
                        );
                        Lead(shown, patch);
                        source = edited;
                        Assert.Equal(Load(source).DocumentElement.OuterHtml, shown.DocumentElement.OuterHtml);
                    }
                },
                iter: 400
            );

    [Fact]
    public void No_change_of_any_markup_fails_and_most_are_led_to()
    {
        int led = 0,
            right = 0;
        Gen.Select(MadeUpPage.Garbage, MadeUpPage.Garbage, Gen.Int[0, 60])
            .AlwaysHolds(
                (html, inserted, place) =>
                {
                    place = Math.Min(place, html.Length);
                    if (place > 0 && char.IsHighSurrogate(html[place - 1]))
                        place--;
                    var changed = html.Insert(place, inserted);
                    var patch = EditorPatch.Between(ParsedPage.From(html), ParsedPage.From(changed), Serving);
                    var shown = Load(html);
                    Lead(shown, patch);
                    if (patch.Kind is not (EditorPatchKind.Run or EditorPatchKind.Tag))
                        return;
                    Interlocked.Increment(ref led);
                    if (Numbers(Load(changed)).SequenceEqual(Numbers(shown)))
                        Interlocked.Increment(ref right);
                },
                iter: 3000
            );
        // What is misnested is read by browsers by what stands far around it; nearly all of it is right all the same.
        Assert.True(led > FixedCases.Part(300) && right > 0.98 * led, $"{right} of {led}");
    }

    [Theory]
    [InlineData(
        "<html><head><style>a{}</style></head><body><p>x</p></body></html>",
        "<html><head><style>a{b:c}</style></head><body><p>x</p></body></html>",
        EditorPatchKind.Run
    )]
    [InlineData(
        "<html><head><script>1</script></head><body><p>x</p></body></html>",
        "<html><head><script>2</script></head><body><p>x</p></body></html>",
        EditorPatchKind.Document
    )]
    [InlineData(
        "<html><head></head><body><p>x</p></body></html>",
        "<html lang=en><head></head><body><p>x</p></body></html>",
        EditorPatchKind.Body
    )]
    [InlineData("<div><p class=a>x</p></div>", "<div><p class=b>x</p></div>", EditorPatchKind.Tag)]
    [InlineData("<p>x</p>", "<p>x</p>", EditorPatchKind.Nothing)]
    public void Only_what_a_page_is_built_on_has_it_built_anew(string before, string after, EditorPatchKind kind) =>
        Assert.Equal(kind, EditorPatch.Between(ParsedPage.From(before), ParsedPage.From(after), Serving).Kind);

    private static PageEdit Edit(ParsedPage page, int pick, int kind)
    {
        string[] kinds = kind is 0 or 1 ? ["p", "h1", "h2", "li"] : ["section", "p", "img", "ul", "a", "h2"];
        var nodes = page.Map.Elements.Where(element => kinds.Contains(element.Name)).ToArray();
        var node = nodes[pick % nodes.Length].Id;
        return kind switch
        {
            0 => new PageEdit.Text(node, "Other words"),
            1 => new PageEdit.Text(node, "Some <b>new</b> words &amp; <i>more</i>"),
            2 => new PageEdit.Move(node, Down: true),
            3 => new PageEdit.Move(node, Down: false),
            4 => new PageEdit.Duplicate(node),
            5 => new PageEdit.Hide(node),
            6 => new PageEdit.Remove(node),
            7 => new PageEdit.Insert(node, "guarantee"),
            _ => new PageEdit.Look(node, "color", "#123456"),
        };
    }

    private static IDocument Load(string source) =>
        new HtmlParser().ParseDocument(HostedHtml.Prepare(source, Serving).Html);

    private static IEnumerable<string> Numbers(IDocument document) =>
        document
            .All.Where(element => element.HasAttribute("data-wx"))
            .Select(element => $"{element.GetAttribute("data-wx")} {element.LocalName}")
            .Distinct()
            .Order(StringComparer.Ordinal);

    /// <summary>What the editor's frame does, without keeping what stands there.</summary>
    private static void Lead(IDocument shown, EditorPatch patch)
    {
        IElement? Numbered(int? number) =>
            number is { } node
                ? shown.QuerySelector($"[data-wx='{node.ToString(CultureInfo.InvariantCulture)}']")
                : null;
        var (parent, before, after) = (
            patch.Parent is null ? shown.Body : Numbered(patch.Parent),
            Numbered(patch.Before),
            Numbered(patch.After)
        );
        switch (patch.Kind)
        {
            case EditorPatchKind.Tag:
                var tag = new HtmlParser().ParseFragment(patch.Html, parent!.ParentElement!).OfType<IElement>().First();
                while (parent.Attributes.Length > 0)
                    parent.RemoveAttribute(parent.Attributes[0]!.Name);
                foreach (var attribute in tag.Attributes)
                    parent.Attributes.SetNamedItem((IAttr)attribute.Clone());
                break;
            case EditorPatchKind.Run:
                Assert.True((before is null || before.Parent == parent) && (after is null || after.Parent == parent));
                for (
                    INode? node = before is null ? parent!.FirstChild : before.NextSibling;
                    node is not null && node != after;

                )
                {
                    var next = node.NextSibling;
                    parent!.RemoveChild(node);
                    node = next;
                }
                foreach (var element in shown.QuerySelectorAll("[data-wx]"))
                {
                    var number = int.Parse(element.GetAttribute("data-wx")!, CultureInfo.InvariantCulture);
                    if (number >= patch.To)
                        element.SetAttribute("data-wx", (number + patch.Shift).ToString(CultureInfo.InvariantCulture));
                }
                foreach (var node in new HtmlParser().ParseFragment(patch.Html, parent!).ToArray())
                    parent!.InsertBefore(node, after);
                break;
        }
    }
}
