using Wexil.Pages.Serving;

namespace Wexil.Pages.Tests;

public sealed class SectionLinesTests
{
    private const string Line =
        "<script>(function (d, l, key) { window.wexilSections = {}; "
        + "})(document,location,\"banner\",\"https://go.larkrow.example\",300)</script>";
    private const string Part = "<h2>Spring sale</h2>";
    private const string There = "Code of “Banner” installed";
    private const string Policy = "The page’s content security policy allows sections";

    [Theory]
    [InlineData("<body>" + Line + Part, "", null)]
    [InlineData("<main>" + Line + "\n <!-- the banner -->\n" + Part + "</main>", "", null)]
    [InlineData(Part, "", There)]
    [InlineData("<!-- " + Line + " -->" + Part, "", There)]
    [InlineData("<body>" + Line + Part + Line + Part, "", There)]
    [InlineData("<main>" + Line + "</main>" + Part, "", There)]
    [InlineData("<head>" + Line + "<title>Shop</title></head>" + Part, "", There)]
    [InlineData("<body>" + Line + Part, "script-src 'self'", Policy)]
    [InlineData("<body>" + Line + Part, "script-src 'unsafe-inline'; connect-src 'self'", Policy)]
    [InlineData("<body>" + Line + Part, "script-src 'unsafe-inline'; connect-src https://go.larkrow.example", null)]
    public void A_line_stands_as_it_should_or_what_is_wrong_is_named(string html, string policy, string? wrong)
    {
        var findings = SectionLines.Check(
            new(html, new("https://larkrow.example/shop"), policy.Length == 0 ? [] : [policy]),
            new Dictionary<string, string> { ["banner"] = "Banner" },
            new("https://go.larkrow.example")
        );
        Assert.Equal(wrong, findings.FirstOrDefault(finding => finding.Good != true)?.What);
        Assert.All(findings.Where(finding => finding.Good != true), finding => Assert.NotEmpty(finding.Mend));
    }

    [Fact]
    public void A_line_is_that_of_its_own_section_only()
    {
        var findings = SectionLines.Check(
            new("<body>" + Line + Part, new("https://larkrow.example/shop"), []),
            new Dictionary<string, string> { ["banner"] = "Banner", ["guarantee"] = "Guarantee" },
            new("https://go.larkrow.example")
        );
        Assert.Equal([true, null, true], findings.Select(finding => finding.Good));
    }
}
