using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Results;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;
using Wexil.Store;

namespace Wexil.Web.Studio.Workbench;

/// <summary>Compares pages whose numbers come from anywhere. The address holds the numbers.</summary>
public sealed class CompareModel(SettingStore settings) : PageModel
{
    public const int MaxCount = 6;
    private const double DefaultLift = 20;
    private static readonly (string, string) Words = ("conversions", "conversion");

    /// <summary>A page as it was typed.</summary>
    public sealed class Row
    {
        public string? Name { get; set; }
        public string? Visitors { get; set; }
        public string? Conversions { get; set; }
        public string? Money { get; set; }

        public bool IsEmpty =>
            string.IsNullOrWhiteSpace(Name)
            && string.IsNullOrWhiteSpace(Visitors)
            && string.IsNullOrWhiteSpace(Conversions)
            && string.IsNullOrWhiteSpace(Money);
    }

    [BindProperty(SupportsGet = true, Name = "p")]
    public List<Row> Rows { get; set; } = [];

    /// <summary>Lines of a spreadsheet: name, visitors, conversions and, if wanted, money.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Paste { get; set; }

    /// <summary>In percent.</summary>
    [BindProperty(SupportsGet = true)]
    public double Lift { get; set; } = DefaultLift;

    public Currency Currency => settings.Currency;

    public TestResult? Result { get; private set; }

    public Verdict? Verdict { get; private set; }

    /// <summary>The verdict in words; null where there is none.</summary>
    public VerdictText? Says { get; private set; }

    /// <summary>What each page brought, in the order of the pages; null where it was not said.</summary>
    public IReadOnlyList<long?> Money { get; private set; } = [];

    public IActionResult OnGet()
    {
        if (!string.IsNullOrWhiteSpace(Paste))
            return Redirect(Address(Pasted(Paste)));
        var filled = Rows.Where(row => !row.IsEmpty).ToArray();
        if (filled.Length > 0)
            Read(filled);
        while (Rows.Count < MaxCount)
            Rows.Add(new());
        return Page();
    }

    private void Read(Row[] filled)
    {
        if (Lift is not (>= 1 and <= 500))
            ModelState.AddModelError(nameof(Lift), "From 1 to 500 percent.");
        var read = filled.Select(row => Read(row, $"p[{Rows.IndexOf(row)}]")).ToArray();
        Arm[] arms = [.. read.Select(row => row.Arm)];
        if (filled.Length < 2)
            ModelState.AddModelError("p", "Enter at least two pages.");
        if (!ModelState.IsValid)
            return;
        string NameOf(Row row, int i) =>
            string.IsNullOrWhiteSpace(row.Name) ? $"Page {PageLetter.At(i)}" : row.Name.Trim();
        TestPage[] pages = [.. filled.Select((row, i) => new TestPage(new(i + 1), PageLetter.At(i), NameOf(row, i)))];
        Result = TestResult.From(Facts(pages, arms, Lift / 100));
        Verdict = VerdictRule.Apply(Result);
        // By conversions only, so no amount is told.
        Says = VerdictWording.Say(Verdict, Result.Facts, _ => "");
        Money = read.Any(row => row.Money is not null) ? [.. read.Select(row => row.Money)] : [];
    }

    /// <summary>
    /// The pages as a test of them would be judged now. Nobody said beforehand what to expect, or in which shares
    /// visitors were sent: the pages say it.
    /// </summary>
    private static TestFacts Facts(TestPage[] pages, Arm[] arms, double lift)
    {
        var total = arms.Aggregate((sum, arm) => sum + arm);
        var rate = BlindedRate.Of(total, pages.Length, lift)
            ?? (
                arms[0].Conversions > 0 && arms[0].Conversions < arms[0].Visitors
                    ? arms[0].Rate
                    : 0.5 / arms[0].Visitors
            );
        var drift = PlannedSize.PlannedDrift(pages.Length);
        double[] shares = [.. arms.Select(arm => (double)arm.Visitors / total.Visitors * Weights.Total)];
        return new(pages, 0, [new([.. pages.Select(_ => 0)], arms)], rate, lift, 0, null, Words)
        {
            Plan = SamplingPlan.ForLift(rate, lift, drift),
            Drift = drift,
            Coming = LargestRemainder.Round(shares, Weights.Total),
        };
    }

    private (Arm Arm, long? Money) Read(Row row, string at)
    {
        var (visitors, conversions) = (Count(row.Visitors), Count(row.Conversions));
        if (visitors is not > 0)
            ModelState.AddModelError($"{at}.Visitors", "Enter a whole number above 0.");
        if (conversions is null)
            ModelState.AddModelError($"{at}.Conversions", "Enter a whole number.");
        else if (visitors < conversions)
            ModelState.AddModelError($"{at}.Conversions", "More conversions than visitors: count each visitor once.");
        var money = string.IsNullOrWhiteSpace(row.Money) ? null : Locale.Current.ParseMoney(Currency, row.Money);
        if (money is null && !string.IsNullOrWhiteSpace(row.Money))
            ModelState.AddModelError($"{at}.Money", "Enter an amount such as 1,950.00.");
        return (new(visitors ?? 0, conversions ?? 0), money);
    }

    private static IEnumerable<Row> Pasted(string lines) =>
        lines
            .ReplaceLineEndings("\n")
            .Split('\n', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
            .Select(line =>
                line.Split(
                    line.Contains('\t', StringComparison.Ordinal) ? '\t'
                    : line.Contains(';', StringComparison.Ordinal) ? ';'
                    : ','
                )
            )
            // A line of names has no numbers.
            .Where(cells => cells.Any(cell => Count(cell) is not null))
            .Take(MaxCount)
            .Select(cells => Count(cells[0]) is null ? cells : ["", .. cells])
            .Select(cells => new Row
            {
                Name = cells.ElementAtOrDefault(0)?.Trim(),
                Visitors = cells.ElementAtOrDefault(1)?.Trim(),
                Conversions = cells.ElementAtOrDefault(2)?.Trim(),
                Money = cells.ElementAtOrDefault(3)?.Trim(),
            });

    private string Address(IEnumerable<Row> rows) =>
        "/workbench?"
        + string.Join(
            '&',
            rows.SelectMany(
                (row, i) =>
                    new[]
                    {
                        ("Name", row.Name),
                        ("Visitors", row.Visitors),
                        ("Conversions", row.Conversions),
                        ("Money", row.Money),
                    }
                        .Where(cell => !string.IsNullOrEmpty(cell.Item2))
                        .Select(cell => $"p[{i}].{cell.Item1}={Uri.EscapeDataString(cell.Item2!)}")
            )
        )
        + (Lift == DefaultLift ? "" : $"&Lift={Lift.ToString(CultureInfo.InvariantCulture)}");

    private static long? Count(string? written) =>
        long.TryParse(
            written?.Trim().Replace(",", "", StringComparison.Ordinal).Replace(" ", "", StringComparison.Ordinal),
            NumberStyles.None,
            CultureInfo.InvariantCulture,
            out var count
        )
        && count <= 1_000_000_000
            ? count
            : null;
}
