using System.Text.RegularExpressions;
using Wexil.Store.Recording;
using Wexil.Store.Retention;

namespace Wexil.Store.Tests;

/// <summary>What every table is, and what new ones have to be.</summary>
public sealed partial class SchemaTests
{
    /// <summary>Tables of what the owner did, what a service was told, and what keeps the data itself.</summary>
    private static readonly string[] Kept =
    [
        "assets",
        "audit_log",
        "draft_changes",
        "draft_edits",
        "drafts",
        "events",
        "excluded_pairs",
        "funnels",
        "goals",
        "held_opt_ins",
        "helper_links",
        "invitations",
        "kept_numbers",
        "last_looks",
        "last_seen",
        "look_points",
        "looks",
        "members",
        "opt_in_settings",
        "outgoing",
        "page_checks",
        "page_versions",
        "page_watch",
        "pages",
        "people",
        "person_tags",
        "phases",
        "projection",
        "rates",
        "recovery_codes",
        "rehearsal_lines",
        "rehearsal_visitors",
        "rehearsals",
        "report_links",
        "same_browsers",
        "seal",
        "sessions",
        "settings",
        "shown_pages",
        "source_costs",
        "source_networks",
        "source_ties",
        "sources",
        "steps",
        "tag_rules",
        "test_changes",
        "test_pages",
        "test_ready",
        "tests",
        "told_owner",
        "verdicts",
        "version_files",
    ];

    [Fact]
    public void Every_table_is_known_as_projected_or_kept()
    {
        using var world = new World();
        var tables = world.Database.Read(connection =>
        {
            using var command = connection.CreateCommand();
            command.CommandText = "SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite%'";
            using var row = command.ExecuteReader();
            var names = new List<string>();
            while (row.Read())
                names.Add(row.GetString(0));
            return names;
        });
        Assert.Equal(
            ProjectedTables
                .All.Concat(Kept)
                .Concat(SealedTallies.All.Select(SealedTallies.Of))
                .Append("SchemaVersions")
                .Order(),
            tables.Order()
        );
    }

    [Fact]
    public void The_sealed_part_of_a_tally_has_its_columns()
    {
        using var world = new World();
        foreach (var tally in SealedTallies.All)
        {
            List<string> Columns(string table) =>
                world.Database.Read(c =>
                    c.Rows(
                        $"SELECT name || ' ' || type || ' ' || pk FROM pragma_table_info('{table}') ORDER BY cid",
                        row => row.GetString(0)
                    )
                );
            Assert.Equal(Columns(tally), Columns(SealedTallies.Of(tally)));
        }
    }

    [Fact]
    public void Tables_made_from_now_on_are_strict()
    {
        var assembly = typeof(Database).Assembly;
        foreach (var name in assembly.GetManifestResourceNames().Where(name => name.EndsWith(".sql")))
        {
            if (string.CompareOrdinal(Number().Match(name).Value, "0021") < 0)
                continue;
            using var reader = new StreamReader(assembly.GetManifestResourceStream(name)!);
            foreach (Match table in Table().Matches(reader.ReadToEnd()))
                Assert.Contains("STRICT", table.Groups[1].Value, StringComparison.Ordinal);
        }
    }

    [GeneratedRegex(@"\d{4}(?=-)")]
    private static partial Regex Number();

    /// <summary>What stands behind the last bracket of a table.</summary>
    [GeneratedRegex(@"CREATE TABLE [^;]*\)([^;)]*);")]
    private static partial Regex Table();
}
