using CsCheck;
using Wexil.Pages.Differences;
using Wexil.Pages.Editing;
using Wexil.Pages.Source;

namespace Wexil.Pages.Tests;

public sealed class ChangesTests
{
    private const string Letter = """
        <!doctype html><html><head><title>Kit</title>
        <style>h1 { color: #222 } .btn { background: #2d6a3e }</style></head><body>
        <h1>Your balcony, harvested</h1>
        <p>Everything in <b>one</b> box.</p>
        <a class="btn" data-wexil="buy" href="#" style="background-color: #2d6a3e">Order the kit</a>
        <img src="img/planter.jpg" alt="A planter">
        <section id="questions"><h2>Questions</h2>
        <p>Does it need sun? Four hours a day will do, and the rail planter turns with it.</p></section>
        <section data-block="guarantee"><h2>Thirty days</h2>
        <p>Send it back if you do not like it, no reason needed.</p></section>
        </body></html>
        """;

    [Theory]
    [InlineData(
        "Your balcony, harvested",
        "Salad in 21 days",
        "Headline: “Your balcony, harvested” → “Salad in 21 days”"
    )]
    [InlineData(
        "<b>one</b> box",
        "<b>a</b> box",
        "Text under the headline: “Everything in one box.” → “Everything in a box.”"
    )]
    [InlineData("<b>one</b> box", "<i>one</i> box", "Text under the headline: bold or italic changed")]
    [InlineData(
        "style=\"background-color: #2d6a3e\"",
        "style=\"background-color: #a3271f\"",
        "Order button: color #2d6a3e → #a3271f"
    )]
    [InlineData("Order the kit", "Send it to me", "Order button: “Order the kit” → “Send it to me”")]
    [InlineData(
        "img/planter.jpg\" alt=\"A planter\"",
        "files/rail.jpg\" alt=\"A rail planter\"",
        "Picture “A planter”: file “planter.jpg” → “rail.jpg”"
    )]
    [InlineData("h1 { color: #222 }", "h1 { color: #a00 }", "Headline: text color #222 → #a00")]
    [InlineData("<title>Kit</title>", "<title>The kit</title>", "Page title: “Kit” → “The kit”")]
    [InlineData("<p>Everything in <b>one</b> box.</p>", "", "Text under the headline removed")]
    [InlineData(
        "<p>Everything in <b>one</b> box.</p>",
        "<p>Everything in <b>one</b> box.</p>\n<p>And a lamp.</p>",
        "Text under the headline added below Text under the headline"
    )]
    [InlineData(
        "<section id=\"questions\"",
        "<section id=\"questions\" data-wexil-section=\"kit-questions\"",
        "Section “Questions” is the section “kit-questions”, with versions of its own"
    )]
    [InlineData("<p>Everything in <b>one</b> box.</p>", "<p  >\n Everything in <b >one</b>\n box.</p>", null)]
    public void Each_change_is_named_with_its_place_in_words(string from, string to, string? sentence)
    {
        var changes = PageDifferences.Between(Letter, Letter.Replace(from, to, StringComparison.Ordinal));
        Assert.Equal(sentence is null ? [] : [sentence], changes.Changes.Select(change => change.Sentence));
        Assert.Equal(sentence is null ? ChangeVerdict.None : ChangeVerdict.One, changes.Verdict);
    }

    [Fact]
    public void A_section_that_moved_is_one_change()
    {
        var map = SourceMap.Parse(Letter);
        var guarantee = map.Elements.Single(element => element.Element.HasAttribute("data-block"));
        var moved = PageEditor.Apply(Letter, new PageEdit.Move(guarantee.Id, Down: false)).Source!;
        Assert.Equal(
            ["Guarantee moved above Section “Questions”"],
            PageDifferences.Between(Letter, moved).Changes.Select(change => change.Sentence)
        );
    }

    [Fact]
    public void Several_changes_and_a_redesign_are_called_what_they_are()
    {
        var two = Letter
            .Replace("Your balcony", "Your garden", StringComparison.Ordinal)
            .Replace("Order the kit", "Buy it", StringComparison.Ordinal);
        var several = PageDifferences.Between(Letter, two);
        Assert.Equal(
            (ChangeVerdict.Several, "2 changes: if it wins, you will not know which one did it."),
            (several.Verdict, several.Sentence)
        );
        Assert.Equal(
            ChangeVerdict.Redesign,
            PageDifferences
                .Between(
                    Letter,
                    "<h1>All new</h1><div><p>Another page with other words altogether.</p><p>And "
                        + "more</p><ul><li>x<li>y<li>z</ul></div>"
                )
                .Verdict
        );
    }

    [Fact]
    public void Random_changes_are_found_and_no_others() =>
        Gen.Select(MadeUpPage.Any, Gen.Int[0, 1_000_000])
            .AlwaysHolds(
                (page, seed) =>
                {
                    var (changed, expected) = Disturb(page, new Random(seed), 3);
                    Assert.Equal(
                        expected.Order(),
                        PageDifferences.Between(page.Html, changed.Html).Changes.Select(change => change.Kind).Order()
                    );
                },
                iter: 300
            );

    [Fact]
    public void Any_two_texts_can_be_compared_and_a_text_does_not_differ_from_itself() =>
        Gen.Select(MadeUpPage.Garbage, MadeUpPage.Garbage, MadeUpPage.Garbage)
            .AlwaysHolds(
                (one, two, three) =>
                {
                    Assert.Empty(PageDifferences.Between(one, one).Changes);
                    Assert.All(PageDifferences.Between(one, two).Changes, change =>
                        Assert.NotEmpty(change.Sentence + change.Brief)
                    );
                    Assert.NotNull(CloneMerge.Apply(one, two, three, new HashSet<int> { 0, 1 }));
                    Assert.Equal(three, CloneMerge.Apply(one, one, three, new HashSet<int>()));
                },
                iter: 1500
            );

    [Fact]
    public void What_does_not_conflict_is_carried_over_whole() =>
        Gen.Select(MadeUpPage.Any, Gen.Int[0, 1_000_000])
            .AlwaysHolds(
                (page, seed) =>
                {
                    // The parent changes what stands in odd sections, the clone what stands in even ones.
                    var random = new Random(seed);
                    var (parent, made) = Disturb(page, random, 2, section => section.Number % 2 == 1);
                    var (clone, own) = Disturb(page, random, 2, section => section.Number % 2 == 0);
                    var plan = CloneMerge.Plan(page.Html, parent.Html, clone.Html);
                    Assert.Equal(made.Order(), plan.Select(carried => carried.Change.Kind).Order());
                    Assert.All(plan, carried => Assert.Equal(MergeState.Fits, carried.State));
                    var merged = CloneMerge.Apply(
                        page.Html,
                        parent.Html,
                        clone.Html,
                        CloneMerge
                            .Plan(page.Html, parent.Html, clone.Html)
                            .Where(carried => carried.State == MergeState.Fits)
                            .Select(carried => carried.Number)
                            .ToHashSet()
                    );
                    Assert.Equal(
                        own.Order(),
                        PageDifferences.Between(parent.Html, merged).Changes.Select(change => change.Kind).Order()
                    );
                    Assert.Equal(
                        made.Order(),
                        PageDifferences.Between(clone.Html, merged).Changes.Select(change => change.Kind).Order()
                    );
                    Assert.All(CloneMerge.Plan(page.Html, parent.Html, merged), carried =>
                        Assert.Equal(MergeState.Already, carried.State)
                    );
                },
                iter: 200
            );

    [Fact]
    public void Where_both_changed_the_same_thing_the_person_chooses()
    {
        var parent = Letter
            .Replace("Your balcony, harvested", "Your balcony, harvested twice", StringComparison.Ordinal)
            .Replace("Four hours", "Five hours", StringComparison.Ordinal);
        var clone = Letter.Replace("Your balcony, harvested", "Salad in 21 days", StringComparison.Ordinal);
        var plan = CloneMerge.Plan(Letter, parent, clone);
        Assert.Equal(
            [
                (MergeState.Conflict, "Salad in 21 days"),
                (MergeState.Fits, "Does it need sun? Four hours a day will do, and the rail planter turns with it."),
            ],
            plan.Select(carried => (carried.State, carried.Ours!))
        );
        Assert.Equal(
            clone.Replace("Four hours", "Five hours", StringComparison.Ordinal),
            CloneMerge.Apply(Letter, parent, clone, new HashSet<int> { plan[1].Number })
        );
        Assert.Equal(
            parent,
            CloneMerge.Apply(Letter, parent, clone, new HashSet<int> { plan[0].Number, plan[1].Number })
        );
    }

    [Fact]
    public void A_block_that_both_rewrote_is_in_conflict_at_the_words_and_never_stands_there_twice()
    {
        const string before =
            "<main><h1>Kit</h1><div class=offer><p>All you need for one season</p><a class=btn href=#>Order "
            + "now</a></div><p>Below</p></main>";
        var parent = before
            .Replace("All you need for one season", "Seeds, soil and a letter a week", StringComparison.Ordinal)
            .Replace("Order now", "Send me the kit", StringComparison.Ordinal);
        var clone = before.Replace(
            "<a class=btn href=#>Order now",
            "<a class=btn style=\"color: #a3271f\" href=#>Yes, I want it",
            StringComparison.Ordinal
        );
        var plan = CloneMerge.Plan(before, parent, clone);
        Assert.Equal([MergeState.Fits, MergeState.Conflict], plan.Select(carried => carried.State));
        var carried = CloneMerge.Apply(
            before,
            parent,
            clone,
            plan.Where(one => one.State == MergeState.Fits).Select(one => one.Number).ToHashSet()
        );
        Assert.Equal(
            clone.Replace("All you need for one season", "Seeds, soil and a letter a week", StringComparison.Ordinal),
            carried
        );
    }

    /// <summary>
    /// Random edits on both sides: with all conflicts taken and with none, every part stands on the clone once.
    /// </summary>
    [Fact]
    public void Carrying_over_all_or_none_of_the_conflicts_leaves_exactly_one_of_each_part() =>
        Gen.Select(MadeUpPage.Any, Gen.Int[0, 1_000_000], Gen.Int[1, 4], Gen.Int[1, 4])
            .AlwaysHolds(
                (page, seed, parents, clones) =>
                {
                    var random = new Random(seed);
                    var (parent, clone) = (Disturb(page, random, parents).Page, Disturb(page, random, clones).Page);
                    var plan = CloneMerge.Plan(page.Html, parent.Html, clone.Html);
                    foreach (var takesConflicts in new[] { false, true })
                    {
                        var chosen = plan.Where(carried =>
                                carried.State == MergeState.Fits
                                || (takesConflicts && carried.State == MergeState.Conflict)
                            )
                            .Select(carried => carried.Number)
                            .ToHashSet();
                        var carried = CloneMerge.Apply(page.Html, parent.Html, clone.Html, chosen);
                        foreach (
                            var block in Blocks(page)
                                .Concat(Blocks(parent))
                                .Concat(Blocks(clone))
                                .DistinctBy(block => block.Number)
                        )
                        {
                            var mark = block.Kind switch
                            {
                                "img" => $"p{block.Number}.png",
                                "a" => $"/go/n{block.Number}\"",
                                "ul" => $"<li>No {block.Number} ",
                                _ => $"&mdash; {block.Number}<",
                            };
                            var stands = carried.Split(mark).Length - 1;
                            var (isParents, isClones) = (
                                Blocks(parent).Any(other => other.Number == block.Number),
                                Blocks(clone).Any(other => other.Number == block.Number)
                            );
                            var most = block.Kind == "ul" ? 2 : 1;
                            Assert.True(stands <= most, $"{mark} stands {stands} times");
                            // What neither side took out is still there.
                            if (
                                isClones
                                && (
                                    isParents
                                    || !page
                                        .Sections.SelectMany(section => section.Blocks)
                                        .Any(other => other.Number == block.Number)
                                )
                            )
                                Assert.True(stands > 0, $"{mark} is gone");
                        }
                    }
                },
                iter: 500
            );

    private static MadeUpPage.Block[] Blocks(MadeUpPage page) =>
        [.. page.Sections.SelectMany(section => section.Blocks)];

    /// <summary>
    /// Changes a page in a few different places, at most one change a section's block, and says which kinds of change
    /// that made.
    /// </summary>
    private static (MadeUpPage Page, List<ChangeKind> Made) Disturb(
        MadeUpPage page,
        Random random,
        int most,
        Func<MadeUpPage.Section, bool>? where = null
    )
    {
        var sections = page.Sections.ToList();
        var made = new List<ChangeKind>();
        var free = Enumerable
            .Range(0, sections.Count)
            .Where(i => where?.Invoke(sections[i]) ?? true)
            .OrderBy(_ => random.Next())
            .Take(most)
            .ToList();
        foreach (var i in free)
        {
            var blocks = sections[i].Blocks.ToList();
            var at = random.Next(blocks.Count);
            var block = blocks[at];
            switch (random.Next(4))
            {
                case 0:
                    blocks[at] = block with { Text = block.Text + " and something else" };
                    if (block.Kind == "ul")
                    {
                        made.Add(ChangeKind.Text);
                        made.Add(ChangeKind.Text);
                    }
                    else
                        made.Add(block.Kind == "img" ? ChangeKind.Picture : ChangeKind.Text);
                    break;
                case 1 when blocks.Count > 1:
                    blocks.RemoveAt(at);
                    made.Add(ChangeKind.Removed);
                    break;
                case 2:
                    blocks.Insert(
                        at + 1,
                        new("p", random.Next(1000, int.MaxValue), "Altogether other words that stand nowhere else")
                    );
                    made.Add(ChangeKind.Added);
                    break;
                case 3 when blocks.Count > 1:
                    blocks.RemoveAt(at);
                    blocks.Insert(at == 0 ? 1 : at - 1, block);
                    made.Add(ChangeKind.Moved);
                    break;
            }
            sections[i] = sections[i] with { Blocks = blocks };
        }
        return (new(sections), made);
    }
}
