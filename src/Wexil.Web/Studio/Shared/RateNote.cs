using Wexil.App.Wording;
using Wexil.Core.Results;

namespace Wexil.Web.Studio.Shared;

/// <summary>Explains a rate that is not that of the counts beside it, because the test has several phases.</summary>
public static class RateNote
{
    private const double Seen = 0.0005;

    /// <summary>"18.4% in total, 18.8% with equal phases"; null where both read the same.</summary>
    public static string? For(PageResult page) =>
        Math.Abs(page.Total.Rate - page.Standard.Rate) < Seen
            ? null
            : $"{Format.Percent(page.Total.Rate)} in total, {Format.Percent(page.Standard.Rate)} with equal phases";
}
