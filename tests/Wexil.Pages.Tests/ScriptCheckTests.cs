using Wexil.Pages.Serving;

namespace Wexil.Pages.Tests;

public sealed class ScriptCheckTests
{
    private static readonly Uri Script = new("https://go.larkrow.example/wexil.js"),
        Page = new("https://larkrow.example/kit");
    private const string Line = "<script src=\"https://go.larkrow.example/wexil.js\" defer></script>";

    [Theory]
    [InlineData("<head>" + Line + "</head><h1>Kit</h1>", "", null)]
    [InlineData("<head></head><h1>Kit</h1>", "", "Script installed")]
    [InlineData("<head><!-- " + Line + " --></head>", "", "Script installed")]
    [InlineData("<head>" + Line + "</head><p>" + Line, "", "Included once")]
    [InlineData(
        "<head><script src=https://old.larkrow.example/wexil.js></script></head>",
        "",
        "Loaded from this Wexil"
    )]
    [InlineData("<body><noscript>" + Line + "</noscript>", "", "In the right place")]
    [InlineData("<body><template>" + Line + "</template>", "", "Script installed")]
    [InlineData(
        "<head><script type=text/plain src=https://go.larkrow.example/wexil.js></script></head>",
        "",
        "In the right place"
    )]
    [InlineData("<head>" + Line + "</head>", "default-src 'self'", "Allowed by the page’s content security policy")]
    [InlineData(
        "<head>" + Line + "</head>",
        "script-src https://go.larkrow.example; connect-src 'self'",
        "Allowed by the page’s content security policy"
    )]
    [InlineData("<head>" + Line + "</head>", "script-src *.larkrow.example; connect-src https:", null)]
    [InlineData(
        "<head><meta http-equiv=Content-Security-Policy content=\"script-src 'none'\">" + Line + "</head>",
        "",
        "Allowed by the page’s content security policy"
    )]
    public void A_page_is_wired_or_the_first_thing_that_is_wrong_is_named_with_the_way_to_mend_it(
        string html,
        string policy,
        string? wrong
    )
    {
        var bad = ScriptCheck
            .Check(new(html, Page, policy.Length > 0 ? [policy] : []), Script)
            .FirstOrDefault(finding => finding.Good != true);
        Assert.Equal(wrong, bad?.What);
        Assert.True(bad is null || bad.Mend.Length > 0);
    }

    [Fact]
    public void A_script_on_http_is_not_loaded_by_a_page_on_https() =>
        Assert.Contains(
            ScriptCheck.Check(
                new("<head><script src=http://go.larkrow.example/wexil.js></script></head>", Page, []),
                new("http://go.larkrow.example/wexil.js")
            ),
            finding => finding is { What: "Browsers can load it", Good: false }
        );
}
