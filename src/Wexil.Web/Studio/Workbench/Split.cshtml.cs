using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.RazorPages;
using Wexil.Core.Statistics;

namespace Wexil.Web.Studio.Workbench;

/// <summary>Did visitors arrive as they were to be split? The address holds the numbers.</summary>
public sealed class SplitModel : PageModel
{
    /// <summary>Visitors of each page, with blanks, commas or lines between.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Visitors { get; set; }

    /// <summary>The weights that were set, likewise; empty for even ones.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Weights { get; set; }

    public (double ChiSquare, int Freedom, double P)? Result { get; private set; }

    public IReadOnlyList<(long Visitors, double Expected)> Rows { get; private set; } = [];

    public void OnGet()
    {
        if (string.IsNullOrWhiteSpace(Visitors))
            return;
        var visitors = Numbers(Visitors);
        if (visitors is null || visitors.Length is < 2 or > 10 || visitors.Any(count => count != Math.Floor(count)))
            ModelState.AddModelError(
                nameof(Visitors),
                "Enter whole numbers for two to ten pages, such as 1661 1647 827."
            );
        var weights = string.IsNullOrWhiteSpace(Weights) ? visitors?.Select(_ => 1.0).ToArray() : Numbers(Weights);
        if (weights is null || weights.Length != visitors?.Length || weights.Sum() <= 0)
            ModelState.AddModelError(nameof(Weights), "Enter one weight per page, such as 40 40 20.");
        if (!ModelState.IsValid)
            return;
        Result = SampleRatioMismatch.Compute([
            [.. visitors!.Zip(weights!, (count, weight) => ((long)count, weight))],
        ]);
        var total = visitors!.Zip(weights!, (count, weight) => weight > 0 ? count : 0).Sum();
        Rows = [.. visitors!.Zip(weights!, (count, weight) => ((long)count, total * weight / weights!.Sum()))];
    }

    private static double[]? Numbers(string text)
    {
        var numbers = text.Split([' ', ',', ';', '/', '\t', '\n', '\r'], StringSplitOptions.RemoveEmptyEntries)
            .Select(part =>
                double.TryParse(part, NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out var number)
                && number is >= 0 and <= 1e9
                    ? number
                    : double.NaN
            )
            .ToArray();
        return numbers.Length == 0 || numbers.Any(double.IsNaN) ? null : numbers;
    }
}
