using Microsoft.Data.Sqlite;
using Wexil.Core.Pages;

namespace Wexil.Store;

/// <summary>A page that is published again, and looks to its visitors as it did before.</summary>
/// <param name="Page">The page as it was read.</param>
/// <param name="Note">What was done, in a few words.</param>
public sealed record Republished(Page Page, string Source, string Note)
{
    /// <summary>Publishes pages, each as draft and version.</summary>
    /// <returns>Those that were changed since they were read, and stay as they are.</returns>
    internal static IReadOnlyList<Page> Write(SqliteConnection c, IReadOnlyList<Republished> pages, DateTimeOffset now)
    {
        var changed = new List<Page>();
        foreach (var (page, source, note) in pages)
        {
            var found = PageStore.Find(c, page.Id)!;
            if (found.HasDraft || found.Revision != page.Revision)
            {
                changed.Add(found);
                continue;
            }
            DraftStore.Replace(c, found, source, note);
            PageStore.Publish(c, page.Id, source, note, looksTheSame: true, now);
        }
        return changed;
    }
}
