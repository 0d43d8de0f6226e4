using Wexil.Core.Pages;
using Wexil.Pages.Importing;
using Wexil.Pages.Serving;

namespace Wexil.Pages.Tests;

public sealed class StartLinesTests
{
    private const string Lines =
        "<script data-wexil-start>(function (d, l) { window.wexilStart = 1; "
        + "})(document,location,\"kit\",\"https://go.larkrow.example\","
        + "\"https://larkrow.example/kit\",\"page_id=5\",300)</script>";
    private const string Style = "<link rel=stylesheet href=a.css>";

    [Theory]
    [InlineData("<head>" + Lines + Style + "</head>", "", null)]
    [InlineData("<head><meta charset=utf-8><script src=a.js defer></script>" + Lines + "</head>", "", null)]
    [InlineData("<head></head>", "", "Start code installed")]
    [InlineData("<head><!-- " + Lines + " --></head>", "", "Start code installed")]
    [InlineData("<head>" + Lines + Lines + "</head>", "", "Included once")]
    [InlineData("<head></head><body>" + Lines, "", "Placed first")]
    [InlineData("<head>" + Style + Lines + "</head>", "", "Placed first")]
    [InlineData("<head><script src=a.js></script>" + Lines + "</head>", "", "Placed first")]
    [InlineData("<body><noscript>" + Lines + "</noscript>", "", "Placed first")]
    [InlineData(
        "<head>" + Lines + "</head>",
        "script-src 'self' https://go.larkrow.example",
        "The page’s content security policy allows it"
    )]
    [InlineData(
        "<head>" + Lines + "</head>",
        "script-src 'unsafe-inline'",
        "The page’s content security policy allows it"
    )]
    [InlineData(
        "<head>" + Lines + "</head>",
        "script-src 'unsafe-inline' https://go.larkrow.example; connect-src 'self'",
        "The page’s content security policy allows it"
    )]
    [InlineData("<head>" + Lines + "</head>", "script-src 'unsafe-inline' https://go.larkrow.example", null)]
    public void Lines_stand_as_they_should_or_the_first_thing_that_is_wrong_is_named(
        string html,
        string policy,
        string? wrong
    ) => Assert.Equal(wrong, Wrong(html, policy)?.What);

    [Theory]
    [InlineData("\"kit\"", "\"other\"", "the link /go/other")]
    [InlineData("https://go.larkrow.example", "https://old.larkrow.example", "not this Wexil")]
    [InlineData("https://larkrow.example/kit", "https://larkrow.example/kit-b", "does nothing here")]
    [InlineData("page_id=5", "page_id=6", "does nothing here")]
    [InlineData("(document,location", "(document", "cut or changed")]
    public void Lines_of_something_else_are_told_from_those_of_the_test(string ours, string theirs, string says) =>
        Assert.Contains(
            says,
            Wrong($"<head>{Lines.Replace(ours, theirs, StringComparison.Ordinal)}</head>", "")!.Words,
            StringComparison.Ordinal
        );

    [Theory]
    [InlineData("{ window", "{\n    window", true)]
    [InlineData(",300)", ",500)", false)]
    public void Lines_that_an_editor_indented_are_the_same_and_those_that_wait_otherwise_are_not(
        string ours,
        string theirs,
        bool isSame
    )
    {
        var right = Check($"<head>{Lines.Replace(ours, theirs, StringComparison.Ordinal)}</head>", "")
            .Single(finding => finding.What == "Code of this test");
        Assert.Equal(isSame ? true : null, right.Good);
    }

    [Fact]
    public void A_policy_that_forbids_hiding_the_page_is_said_and_its_hash_mends_it()
    {
        const string policy = "script-src 'unsafe-inline' https://go.larkrow.example; style-src 'self'";
        var finding = Check($"<head>{Lines}</head>", policy)[^1];
        Assert.Null(finding.Good);
        var hash = finding.Mend.Split(' ')[1];
        Assert.True(Check($"<head>{Lines}</head>", $"{policy} {hash}")[^1].Good);
    }

    [Fact]
    public void Lines_without_their_attribute_are_taken_out_of_a_page_that_is_brought_in_all_the_same() =>
        Assert.DoesNotContain(
            "wexilStart",
            PageReferences.Rewrite(
                $"<head>{Lines.Replace(" data-wexil-start", "", StringComparison.Ordinal)}</head><p>x",
                new("https://larkrow.example/kit"),
                _ => null
            ),
            StringComparison.Ordinal
        );

    private static Finding? Wrong(string html, string policy) =>
        Check(html, policy).FirstOrDefault(finding => finding.Good == false);

    private static IReadOnlyList<Finding> Check(string html, string policy) =>
        StartLines.Check(
            new(html, new("https://larkrow.example/kit"), policy.Length == 0 ? [] : [policy]),
            Lines,
            new("https://go.larkrow.example")
        );
}
