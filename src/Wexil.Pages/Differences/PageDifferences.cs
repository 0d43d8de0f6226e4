using Wexil.Pages.Serving;
using Wexil.Pages.Source;

namespace Wexil.Pages.Differences;

/// <summary>
/// What differs between two pages, computed from the two sources, so that it is right however they came to differ.
/// White space and the order of attributes make no difference.
/// </summary>
public static class PageDifferences
{
    private const int ManyChanges = 12;
    private const double MostOfThePage = .5;

    private static readonly HashSet<string> PictureAttributes = ["src", "srcset", "sizes", "alt", "width", "height"];

    /// <summary>Compares two sources.</summary>
    public static PageChanges Between(string before, string after) => Between(before, after, []);

    /// <summary>Compares two pages: their sources, and their other files by what they hold.</summary>
    /// <param name="files">The paths of files that both pages have, holding something else.</param>
    public static PageChanges Between(string before, string after, IEnumerable<string> files)
    {
        var (b, a) = Match(before, after);
        var changes = List(b, a);
        changes.AddRange(files.Select(path => new PageChange(ChangeKind.File, $"File {path}", null, null)));
        return new(changes, Judge(changes, b));
    }

    internal static (Part Before, Part After) Match(string before, string after)
    {
        // Reading takes most of the time, and the two pages know nothing of each other yet.
        Part b = null!,
            a = null!;
        Parallel.Invoke(() => b = Part.From(SourceMap.Parse(before)), () => a = Part.From(SourceMap.Parse(after)));
        Matching.Find(b, a);
        return (b, a);
    }

    internal static List<PageChange> List(Part before, Part after)
    {
        var found = new List<(double Place, PageChange Change)>();
        foreach (var part in after.All())
        {
            if (part.Match is not { } was)
            {
                // Of what was added as a whole, only the whole is named.
                if (part.Parent is { Match: not null, IsLeaf: false })
                    found.Add(
                        (
                            part.Order,
                            new(ChangeKind.Added, PlaceName.For(part), null, part)
                            {
                                Where = Beside(part),
                                After = part.Text,
                            }
                        )
                    );
                continue;
            }
            if (part is { IsMoved: true, Parent.IsLeaf: false })
                found.Add((part.Order, new(ChangeKind.Moved, PlaceName.For(part), was, part) { Where = Beside(part) }));
            if (was.Hash != part.Hash)
                found.AddRange(Changed(was, part).Select(change => ((double)part.Order, change)));
        }
        foreach (var part in before.All())
        {
            if (part.Match is not null || part.Parent is not { Match: not null, IsLeaf: false })
                continue;
            var siblings = part.Parent.Children;
            var at = siblings.Take(siblings.IndexOf(part)).LastOrDefault(sibling => sibling.Match is not null)?.Match
                ?? part.Parent.Match;
            found.Add((at.Order + .5, new(ChangeKind.Removed, PlaceName.For(part), part, null) { Before = part.Text }));
        }
        return [.. found.OrderBy(entry => entry.Place).Select(entry => entry.Change)];
    }

    private static IEnumerable<PageChange> Changed(Part was, Part now)
    {
        // A drawing is one thing, whatever of it differs.
        if (now.Tag == "svg")
        {
            yield return new(ChangeKind.Code, PlaceName.For(now), was, now);
            yield break;
        }
        var place = PlaceName.For(now.Tag is "h2" or "h3" or "h4" or "a" or "button" or "img" ? was : now);
        foreach (var change in ChangedAttributes(was, now, place))
            yield return change;
        foreach (var name in was.Style.Concat(now.Style).Select(declaration => declaration.Key).Distinct())
        {
            var (before, after) = (Value(was, name), Value(now, name));
            if (before != after)
                yield return new(ChangeKind.Style, place, was, now)
                {
                    What = StyleWords.For(name, now.Tag),
                    Before = before,
                    After = after,
                    Names = [name],
                };
        }
        // The words of a part are one thing, however much of them is emphasised.
        if (!was.IsLeaf || !now.IsLeaf || now.Parent is { IsLeaf: true })
            yield break;
        if (was.Text != now.Text)
        {
            if (now.Tag == "style")
                foreach (var change in StyleWords.Between(was, now))
                    yield return change;
            else if (now.Tag is "script" or "svg" or "template")
                yield return new(ChangeKind.Code, place, was, now);
            else
                yield return new(ChangeKind.Text, place, was, now) { Before = was.Text, After = now.Text };
        }
        else if (was.Children.Count != now.Children.Count || now.Children.Exists(child => child.Match?.Parent != was))
            yield return new(ChangeKind.Emphasis, place, was, now);
    }

    private static IEnumerable<PageChange> ChangedAttributes(Part was, Part now, string place)
    {
        var names = was
            .Attributes.Keys.Concat(now.Attributes.Keys)
            .Distinct()
            .Where(name => was.Attributes.GetValueOrDefault(name) != now.Attributes.GetValueOrDefault(name))
            .ToArray();
        // A picture with its words and sizes is one thing.
        if (now.Tag is "img" && names.Where(PictureAttributes.Contains).ToArray() is { Length: > 0 } picture)
        {
            names = [.. names.Except(picture)];
            yield return ChangedPicture(was, now, place, picture);
        }
        foreach (var name in names)
        {
            yield return new(KindOf(name), place, was, now)
            {
                What = Said(name),
                Before = was.Attributes.GetValueOrDefault(name),
                After = now.Attributes.GetValueOrDefault(name),
                Names = [name],
            };
        }
    }

    private static ChangeKind KindOf(string attribute) =>
        attribute switch
        {
            "href" or "action" => ChangeKind.Link,
            SectionMark.Attribute or SectionMark.From or SectionMark.To => ChangeKind.Section,
            _ => ChangeKind.Attribute,
        };

    private static PageChange ChangedPicture(Part was, Part now, string place, string[] names)
    {
        var replaced = names.Contains("src");
        return new(ChangeKind.Picture, place, was, now)
        {
            What =
                replaced ? "file"
                : names is ["alt"] ? "alt text"
                : "size",
            Before = replaced ? FileName(was.Attributes.GetValueOrDefault("src")) : Joined(was, names),
            After = replaced ? FileName(now.Attributes.GetValueOrDefault("src")) : Joined(now, names),
            Names = names,
        };
    }

    private static string Said(string attribute) =>
        attribute switch
        {
            SectionMark.Attribute => "is",
            SectionMark.From => "begins",
            SectionMark.To => "ends",
            "href" => "leads to",
            "action" => "form address",
            "class" => "CSS class",
            "placeholder" => "placeholder",
            "content" => "",
            Wiring.RoleAttribute => "used as",
            _ => attribute,
        };

    private static string Beside(Part part)
    {
        var siblings = part.Parent!.Children;
        var i = siblings.IndexOf(part);
        // What moved up stands above what it passed; anything else below what it follows.
        var up =
            part.Match is { } was
            && siblings.Skip(i + 1).FirstOrDefault(Stayed)?.Match is { } next
            && was.Parent == next.Parent
            && was.Parent!.Children.IndexOf(was) > was.Parent.Children.IndexOf(next);
        var other = up ? siblings.Skip(i + 1).FirstOrDefault(Stayed) : siblings.Take(i).LastOrDefault(Stayed);
        if (other is null && siblings.Skip(i + 1).FirstOrDefault(Stayed) is { } below)
            (other, up) = (below, true);
        if (other is null)
            return part.Parent.Tag is "body" or "main" or Part.Run ? "" : $"in {PlaceName.For(part.Parent)}";
        return $"{(up ? "above" : "below")} {PlaceName.For(other)}";

        bool Stayed(Part sibling) =>
            sibling.Match is not null && !sibling.IsMoved && sibling.Tag is not ("script" or "style");
    }

    private static ChangeVerdict Judge(List<PageChange> changes, Part before)
    {
        if (changes.Count <= 1)
            return changes.Count == 0 ? ChangeVerdict.None : ChangeVerdict.One;
        var others = changes.Sum(change =>
            change.Kind is ChangeKind.Added or ChangeKind.Removed ? (change.BeforePart ?? change.AfterPart)!.Weight : 0
        );
        return changes.Count > ManyChanges || others > before.Weight * MostOfThePage
            ? ChangeVerdict.Redesign
            : ChangeVerdict.Several;
    }

    private static string? Value(Part part, string name)
    {
        foreach (var declaration in part.Style)
            if (declaration.Key == name)
                return declaration.Value;
        return null;
    }

    private static string Joined(Part part, string[] names) =>
        string.Join(" × ", names.Select(part.Attributes.GetValueOrDefault).Where(value => value is not null));

    private static string? FileName(string? address) =>
        address is null ? null
        : address.StartsWith("data:", StringComparison.OrdinalIgnoreCase) ? "inline image"
        : address.Split('?', '#')[0].Split('/')[^1] is { Length: > 0 } name ? name
        : address;
}
