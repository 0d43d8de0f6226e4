using System.Collections.Concurrent;
using System.Text.RegularExpressions;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Time.Testing;
using Wexil.Core.Common;
using Wexil.Demo;
using Wexil.Store.Recording;
using Wexil.Tests;
using Wexil.Web.Hosting;
using Wexil.Web.Studio.Account;

namespace Wexil.Web.Tests;

/// <summary>
/// No statement that visitors or screens cause reads a table from end to end that grows with traffic: every statement
/// that the demo and its screens run is explained.
/// </summary>
[Trait("Pace", "slow")]
public sealed partial class QueryPlanTests
{
    /// <summary>Tables that grow with visitors.</summary>
    private static readonly HashSet<string> Growing =
    [
        .. ProjectedTables.All.Except(["step_tallies"]),
        "events",
        "people",
        "outgoing",
        "looks",
    ];

    /// <summary>What the owner made: whoever asks for all of it reads all of it, and who asks for some, some.</summary>
    private static readonly string[] Made = ["pages", "tests", "test_changes", "version_files"];

    /// <summary>Indexes that hold nothing but what is asked for.</summary>
    private static readonly string[] Exact =
    [
        "orders_uncredited",
        "outgoing_unsent",
        "outgoing_waiting",
        "one_running_test_a_step",
        "pages_outside",
    ];

    /// <summary>When the owner changes what a currency is worth, all orders in it are worth something else.</summary>
    private static readonly Regex Revaluing = new(@"DELETE\s+FROM (money_tallies|source_money)\s+WHERE orders = 0");

    private static readonly string[] Screens =
    [
        "/",
        "/tests",
        "/sales",
        "/sales?text=kit&by=Product",
        "/sales?by=Source",
        "/sales?by=Test",
        "/sales?by=Page",
        "/people",
        "/people?text=reader",
        "/outbox",
        "/people?on=calendar",
        "/named-pages?q=calendar",
        "/named-pages/of-tests?q=calendar",
        "/tests?q=kit&sort=Name",
        "/tests?sort=Visitors&show=Open",
        "/jump?q=kit",
        "/settings",
        "/funnels",
        "/workbench/kept",
        "/f/balcony-harvest/sources",
        "/f/balcony-harvest/steps",
        "/f/balcony-harvest/files",
        "/f/herb-club/wiring",
        "/f/balcony-harvest/calendar/build",
        "/f/balcony-harvest/calendar/send",
        "/f/balcony-harvest/calendar/count",
        "/f/balcony-harvest/calendar/count?by=Source",
        "/f/balcony-harvest/calendar/count?live=true",
        "/f/balcony-harvest/calendar/count?total=true",
        "/f/balcony-harvest/calendar/count/results.csv",
        "/f/balcony-harvest/calendar/count/results.json",
        "/f/balcony-harvest/calendar/keep",
        "/f/balcony-harvest/calendar/goals",
        "/f/balcony-harvest/calendar/opt-ins",
        "/f/balcony-harvest/kit/sections",
        "/f/balcony-harvest/kit/sections/combinations.csv",
        "/f/balcony-harvest/kit-headline/keep",
        "/f/balcony-harvest/kit/count",
        "/f/balcony-harvest/kit/send",
        "/f/herb-club/swap/count",
    ];

    [Fact]
    public async Task No_statement_reads_a_table_that_grows_with_traffic_from_end_to_end()
    {
        var statements = new ConcurrentDictionary<string, string>();
        await using var host = await WexilHost.StartAsync(
            new WexilOptions
            {
                Data = TemporaryFolder.Create("plans"),
                Studio = new($"http://localhost:{WexilFixture.FreePort()}"),
                Visitors = new($"http://127.0.0.1:{WexilFixture.FreePort()}"),
                FollowsClock = false,
                Traced = statement => statements.TryAdd(Values().Replace(statement, "?"), statement),
            },
            new FakeTimeProvider(new DateTimeOffset(2040, 11, 9, 15, 0, 0, TimeSpan.Zero)),
            new SeededChance(12)
        );
        await DemoWorld.FillAsync(host, TextWriter.Null);
        using var owner = new HttpClient { BaseAddress = host.Options.Studio };
        await owner.GetAsync($"/sign-in?key={host.Services.GetRequiredService<SignInLinks>().Issue()}");
        foreach (var screen in Screens)
        {
            using var answer = await owner.GetAsync(screen);
            Assert.True(answer.IsSuccessStatusCode, $"{screen}: {answer.StatusCode}");
        }

        var scans = statements.Values.SelectMany(statement => Scans(host, statement)).Order().ToArray();
        Assert.True(scans.Length == 0, string.Join("\n\n", scans));
        Assert.InRange(statements.Count, 150, 2000);
    }

    private static List<string> Scans(WexilHost host, string statement)
    {
        if (!Explainable().IsMatch(statement) || Revaluing.IsMatch(statement))
            return [];
        var tables = Sources()
            .Matches(statement)
            .GroupBy(match => match.Groups[2].Success ? match.Groups[2].Value : match.Groups[1].Value)
            .ToDictionary(alias => alias.Key, alias => alias.First().Groups[1].Value);
        return host.Database.Read(connection =>
        {
            using var command = connection.CreateCommand();
            command.CommandText = "EXPLAIN QUERY PLAN " + statement;
            using var row = command.ExecuteReader();
            var steps = new List<string>();
            while (row.Read())
                steps.Add(row.GetString(3));
            var isLimited = statement.Contains(" LIMIT ", StringComparison.Ordinal) && !steps.Any(IsSorted);
            return steps
                .Where(step => IsScan(step) && IsRefused(Table(step, tables), statement))
                .Where(step => !Exact.Any(index => step.EndsWith(" " + index, StringComparison.Ordinal)))
                // Walked as it comes, and no further than its limit.
                .Where(_ => !isLimited)
                .Select(step => $"{step}\n{statement}")
                .ToList();
        });
    }

    // A search for a part of a name reads all names.
    private static bool IsRefused(string table, string statement) =>
        Growing.Contains(table)
        || (
            Made.Contains(table)
            && !statement.Contains("holds(", StringComparison.Ordinal)
            && Regex.IsMatch(statement, $@"FROM\s+{table}(\s+\w)?\s+WHERE\s+(?!1\b)")
        );

    private static bool IsScan(string step) => step.StartsWith("SCAN ", StringComparison.Ordinal);

    /// <summary>All of it is read before the first row comes out.</summary>
    private static bool IsSorted(string step) =>
        step.StartsWith("USE TEMP B-TREE", StringComparison.Ordinal)
        && !step.Contains("LAST", StringComparison.Ordinal);

    private static string Table(string step, Dictionary<string, string> tables)
    {
        var name = step.Split(' ')[1];
        return tables.GetValueOrDefault(name, name);
    }

    [GeneratedRegex(@"x'[0-9A-Fa-f]*'|'[^']*'|\b[0-9][0-9.e+-]*\b")]
    private static partial Regex Values();

    [GeneratedRegex(@"^\s*(SELECT|INSERT|UPDATE|DELETE|WITH)\b")]
    private static partial Regex Explainable();

    [GeneratedRegex(
        @"\b(?:FROM|JOIN|UPDATE|INTO)\s+(\w+)"
            + @"(?:\s+(?!(?:WHERE|JOIN|LEFT|ON|ORDER|GROUP|SET|VALUES|SELECT|LIMIT|UNION)\b)(\w+))?",
        RegexOptions.IgnoreCase
    )]
    private static partial Regex Sources();
}
