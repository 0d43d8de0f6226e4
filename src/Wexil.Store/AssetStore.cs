using Wexil.Core.Common;
using Wexil.Store.Recording;

namespace Wexil.Store;

/// <summary>A file of some pages, stored once.</summary>
/// <param name="Uses">The pages that have it, each with the path it has there; published, in a draft, or in an earlier
/// version only.</param>
public sealed record Asset(string Hash, long Bytes, IReadOnlyList<AssetUse> Uses);

/// <summary>A place where a file is used.</summary>
public sealed record AssetUse(PageId Page, string Path, AssetState State);

/// <summary>In which version of a page a file is used.</summary>
public enum AssetState
{
    /// <summary>In the version that visitors see.</summary>
    Published,

    /// <summary>In the draft.</summary>
    Draft,

    /// <summary>In an earlier version only.</summary>
    Earlier,
}

/// <summary>Files by the hash of what they hold.</summary>
public sealed class AssetStore(Database database, Journal journal)
{
    /// <summary>What a file holds; null when there is none of that hash.</summary>
    /// <param name="hash">SHA-256 in hexadecimal.</param>
    public byte[]? Content(string hash) =>
        database.Read(c =>
            c.Rows(
                    "SELECT content FROM assets WHERE hash = $1",
                    row => row.GetFieldValue<byte[]>(0),
                    Convert.FromHexString(hash)
                )
                .SingleOrDefault()
        );

    /// <summary>Every file of a funnel's pages but the pages themselves, the largest first.</summary>
    public IReadOnlyList<Asset> ForFunnel(FunnelId funnel) =>
        database.Read(c =>
            c.Rows(
                    """
                    SELECT f.hash, length(a.content), f.page_id, f.path, max(f.version = p.revision) AS published,
                      max(f.version = 0) AS draft
                    FROM version_files f JOIN assets a ON a.hash = f.hash JOIN pages p ON p.id = f.page_id
                      JOIN steps s ON s.id = p.step_id
                    WHERE s.funnel_id = $1 AND f.path <> p.entry GROUP BY f.hash, f.page_id, f.path
                      ORDER BY 2 DESC, f.path
                    """,
                    row =>
                        (
                            Hash: Convert.ToHexStringLower(row.GetFieldValue<byte[]>(0)),
                            Bytes: row.GetInt64(1),
                            Use: new AssetUse(
                                new(row.GetInt64(2)),
                                row.GetString(3),
                                row.GetBoolean(4) ? AssetState.Published
                                    : row.GetBoolean(5) ? AssetState.Draft
                                    : AssetState.Earlier
                            )
                        ),
                    funnel.Value
                )
                .GroupBy(row => row.Hash)
                .Select(group => new Asset(group.Key, group.First().Bytes, [.. group.Select(row => row.Use)]))
                .ToArray()
        );

    /// <summary>
    /// Takes files out that were added to drafts and are used by none, and contents that nothing has any more.
    /// </summary>
    /// <returns>How many files went, and their bytes.</returns>
    public Task<(int Files, long Bytes)> ClearAsync(IReadOnlyCollection<(PageId Page, string Path)> unused) =>
        journal.WriteAsync(c =>
        {
            foreach (var (page, path) in unused)
                c.Execute(
                    "DELETE FROM version_files WHERE page_id = $1 AND version = 0 AND path = $2",
                    page.Value,
                    path
                );
            const string orphans =
                "FROM assets WHERE NOT EXISTS (SELECT 1 FROM version_files f WHERE f.hash = assets.hash)";
            var bytes = c.Number($"SELECT sum(length(content)) {orphans}") ?? 0;
            return (c.Execute($"DELETE {orphans}"), bytes);
        });
}
