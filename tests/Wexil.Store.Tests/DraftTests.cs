using Wexil.Core.Pages;
using Wexil.Tests;

namespace Wexil.Store.Tests;

public sealed class DraftTests
{
    /// <summary>
    /// Edits, undoing and doing again at random, beside a list of sources that does the same in memory; with restarts
    /// in between.
    /// </summary>
    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    public async Task A_sitting_of_any_length_can_be_walked_back_and_forth_even_over_a_restart(int seed)
    {
        var random = new Random(seed);
        var path = TemporaryFolder.Create("drafts");
        var world = new World(path);
        var test = await world.StartTestAsync();
        var page = world.Pages.Find(test.Pages[1])!;
        List<string> sources = [world.Drafts.For(page).Source];
        var (at, revision) = (0, 0L);
        for (var i = 0; i < 120; i++)
        {
            switch (random.Next(5))
            {
                case 0 when at > 0:
                    Assert.Null((await world.Drafts.UndoAsync(page, Author(revision++))).Refusal);
                    at--;
                    break;
                case 1 when at + 1 < sources.Count:
                    Assert.Null((await world.Drafts.RedoAsync(page, Author(revision++))).Refusal);
                    at++;
                    break;
                case 2 when i % 17 == 0:
                    world.Dispose();
                    world = new World(path);
                    break;
                default:
                    // 🌱 and 🌿 share their first half.
                    var next = random.Next(3) switch
                    {
                        0 when sources[at].Contains('\uD83C') => random.Next(2) == 0
                            ? sources[at].Replace("🌱", "🌿", StringComparison.Ordinal)
                            : sources[at].Replace("🌿", "🌱", StringComparison.Ordinal),
                        1 when sources[at].LastIndexOf("<p>", StringComparison.Ordinal) is > 0 and var from => sources[
                            at
                        ][..from],
                        _ => sources[at]
                            .Insert(
                                Math.Max(0, sources[at].IndexOf('<', random.Next(sources[at].Length))),
                                $"<p>{i} ü🌱</p>"
                            ),
                    };
                    Assert.Null(
                        (await world.Drafts.EditAsync(page, world.Drafts.For(page), next, $"Edit {i}")).Refusal
                    );
                    revision++;
                    sources.RemoveRange(at + 1, sources.Count - at - 1);
                    sources.Add(next);
                    at++;
                    break;
            }
            var draft = world.Drafts.For(page);
            Assert.Equal((sources[at], at, sources.Count - 1), (draft.Source, draft.Position, draft.Last));
            Assert.Equal(sources[at] != sources[0], world.Pages.Find(page.Id)!.HasDraft);
        }
        Assert.Equal(
            DraftRefusal.TooOld,
            (
                await world.Drafts.EditAsync(page, Author(revision + 1), new(0, "", "x"), (0, 0), "From the future")
            ).Refusal
        );
        Assert.Equal(DraftRefusal.Moved, (await world.Drafts.UndoAsync(page, Author(revision - 1))).Refusal);
        Assert.Equal(sources[0], world.Pages.Source(page));
        world.Dispose();
    }

    [Fact]
    public async Task A_clone_is_the_page_as_it_stands_in_the_editor_with_what_is_not_published_yet()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        Page Original() => world.Pages.Find(test.Pages[0])!;
        Task ChangeAsync(Page page, string source) =>
            world.Drafts.EditAsync(page, world.Drafts.For(page), source, "Source");
        var published = world.Pages.Source(Original());
        await world.Drafts.AddFileAsync(Original().Id, new("files/new.svg", "<svg>1</svg>"u8.ToArray()));
        await ChangeAsync(Original(), "<h1>Not published</h1><img src=files/new.svg>");
        var clone = world.Pages.Find(await world.Pages.CloneAsync(Original(), "Clone"))!;
        Assert.True(clone.HasDraft && Original().HasDraft);
        Assert.Equal(world.Drafts.For(Original()).Source, world.Drafts.For(clone).Source);
        Assert.Equal(published, world.Pages.Source(clone));
        Assert.Contains("files/new.svg", world.Pages.Hashes(clone.Id, clone.Revision, withDraft: true).Keys);
        // What is changed in one of them later stays there.
        await ChangeAsync(clone, "<h1>Only the clone</h1>");
        Assert.Contains("Not published", world.Drafts.For(Original()).Source, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_version_keeps_its_files_and_takes_along_only_what_its_page_uses()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var page = world.Pages.Find(test.Pages[0])!;
        await world.Drafts.AddFileAsync(page.Id, new("files/used.svg", "<svg>1</svg>"u8.ToArray()));
        await world.Drafts.AddFileAsync(page.Id, new("files/spare.svg", "<svg>2</svg>"u8.ToArray()));
        Assert.Equal(2, await world.Pages.PublishAsync(page, "<img src=files/used.svg>", "With a picture"));
        Assert.Equal(["files/used.svg", "index.html"], world.Pages.Hashes(page.Id, 2).Keys.Order());
        Assert.Equal(["index.html"], world.Pages.Hashes(page.Id, 1).Keys);
        Assert.Contains("files/spare.svg", world.Pages.Hashes(page.Id, 2, withDraft: true).Keys);

        // The same picture on a clone is the same file; what nothing has any more goes, and versions keep theirs.
        var clone = await world.Pages.CloneAsync(world.Pages.Find(page.Id)!, "Clone");
        var files = world.Assets.ForFunnel(new(1));
        Assert.Equal(2, files.Single(file => file.Uses.Any(use => use.Path == "files/used.svg")).Uses.Count);
        Assert.Equal(
            (1, 12L),
            await world.Assets.ClearAsync([(page.Id, "files/spare.svg"), (page.Id, "files/used.svg")])
        );
        Assert.NotNull(world.Pages.File(page.Id, 2, "files/used.svg"));
        Assert.Equal(
            (page.Id, 2),
            (world.Pages.Find(clone)!.Parent!.Value, world.Pages.Find(clone)!.ParentVersion!.Value)
        );

        // Brought back after the page did without it.
        await world.Pages.PublishAsync(world.Pages.Find(page.Id)!, "<p>none", "");
        var now = world.Pages.Find(page.Id)!;
        Assert.Equal("<img src=files/used.svg>", world.Pages.Source(now, 2));
        await world.Drafts.TakeFilesAsync(now, 2);
        Assert.Equal(
            world.Pages.Hashes(page.Id, 2)["files/used.svg"],
            world.Pages.Hashes(page.Id, 3, withDraft: true)["files/used.svg"]
        );
    }

    [Fact]
    public async Task A_carried_change_reaches_what_is_being_worked_on_and_can_be_undone()
    {
        using var world = new World();
        var test = await world.StartTestAsync();
        var parent = world.Pages.Find(test.Pages[0])!;
        var clone = world.Pages.Find(test.Pages[1])!;
        await world.Drafts.EditAsync(clone, world.Drafts.For(clone), "<h1>x, mine", "Mine");
        var phases = world.Tests.Phases(test.Id).Count;
        await world.Pages.PublishAsync(parent, "<h1>x<p>new", "");
        await world.Pages.CarryAsync([(clone, "<h1>x, mine<p>new")], 2);
        var after = world.Pages.Find(clone.Id)!;
        Assert.Equal(
            ("<h1>x, mine<p>new", 2, true),
            (world.Drafts.For(after).Source, after.ParentVersion, after.HasDraft)
        );
        // Nothing of it is published, so the parent's own change is the only phase.
        Assert.Equal(phases + 1, world.Tests.Phases(test.Id).Count);
        Assert.Null((await world.Drafts.UndoAsync(after, Author(2))).Refusal);
        Assert.Equal("<h1>x, mine", world.Drafts.For(after).Source);
    }

    [Fact]
    public async Task What_is_sent_twice_is_done_once_and_a_sitting_is_undone_as_one()
    {
        using var world = new World();
        var page = world.Pages.Find((await world.StartTestAsync()).Pages[1])!;
        var before = world.Drafts.For(page).Source;
        var sitting = Guid.NewGuid();
        foreach (var (typed, i) in new[] { "S", "Sa", "Sal", "Salad" }.Select((typed, i) => (typed, i)))
        {
            var seen = world.Drafts.For(page);
            var author = new DraftAuthor(seen.Revision, Guid.NewGuid(), sitting);
            var change = TextChange.Between(seen.Source, $"{before}<p>{typed}</p>");
            var step = await world.Drafts.EditAsync(
                page,
                author,
                change,
                (change.Start, change.Start + change.Removed.Length),
                "Text"
            );
            Assert.Equal((i + 1L, 1, 1), (step.Draft.Revision, step.Draft.Position, step.Draft.Last));
            // The answer was lost on the way, and it is sent again.
            var again = await world.Drafts.EditAsync(
                page,
                author,
                change,
                (change.Start, change.Start + change.Removed.Length),
                "Text"
            );
            Assert.Equal(step.Draft, again.Draft);
        }
        var undo = new DraftAuthor(4, Guid.NewGuid());
        Assert.Equal(before, (await world.Drafts.UndoAsync(page, undo)).Draft.Source);
        Assert.Equal(before, (await world.Drafts.UndoAsync(page, undo)).Draft.Source);
        Assert.Equal(DraftRefusal.Nothing, (await world.Drafts.UndoAsync(page, Author(5))).Refusal);
        Assert.Equal($"{before}<p>Salad</p>", (await world.Drafts.RedoAsync(page, Author(5))).Draft.Source);
        Assert.Equal($"{before}<p>Sal</p>", world.Drafts.SourceAt(page, 3));
    }

    /// <summary>
    /// Two windows edit one page at random, each against what it saw last: what touches other parts is merged, what
    /// touches the same part is refused.
    /// </summary>
    [Theory]
    [InlineData(1)]
    [InlineData(2)]
    [InlineData(3)]
    public async Task Edits_of_two_windows_are_merged_where_they_touch_other_parts_and_refused_where_they_do_not(
        int seed
    )
    {
        using var world = new World();
        var random = new Random(seed);
        var page = world.Pages.Find((await world.StartTestAsync()).Pages[1])!;
        const int parts = 12;
        var words = Enumerable.Range(0, parts).Select(i => $"part {i}").ToArray();
        static string Page(string[] words) => string.Concat(words.Select((word, i) => $"<p id={i}>{word}</p>\n"));
        await world.Drafts.EditAsync(page, world.Drafts.For(page), Page(words), "Start");
        (long Revision, string[] Words)[] seen = [(1, [.. words]), (1, [.. words])];
        int merged = 0,
            refused = 0;
        for (var i = 0; i < 120; i++)
        {
            var window = random.Next(2);
            var part = random.Next(parts);
            var (revision, old) = seen[window];
            var source = Page(old);
            var start = source.IndexOf($"<p id={part}>", StringComparison.Ordinal);
            var end = source.IndexOf("</p>", start, StringComparison.Ordinal) + 4;
            var typed = $"window {window} wrote {new string('x', random.Next(30))} {i}";
            var after = source[..start] + $"<p id={part}>{typed}</p>" + source[end..];
            var step = await world.Drafts.EditAsync(
                page,
                new(revision, Guid.NewGuid()),
                TextChange.Between(source, after),
                (start, end),
                "Text"
            );
            if (step.Refusal is null)
                words[part] = typed;
            Assert.Equal(old[part] == words[part] || step.Refusal is null, step.Refusal is null);
            if (step.IsMerged)
                merged++;
            if (step.Refusal == DraftRefusal.SamePart)
                refused++;
            Assert.Equal(Page(words), step.Draft.Source);
            // Sometimes a window does not look at the answer for a while.
            if (random.Next(3) > 0)
                seen[window] = (step.Draft.Revision, [.. words]);
        }
        Assert.True(merged > 10 && refused > 3, $"{merged} merged, {refused} refused");
    }

    private static DraftAuthor Author(long at) => new(at, Guid.NewGuid());
}
