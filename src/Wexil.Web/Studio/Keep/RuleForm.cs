using System.Globalization;
using Microsoft.AspNetCore.Mvc.ModelBinding;
using Wexil.App.Wording;
using Wexil.Core.SplitTests;
using Wexil.Core.Statistics;

namespace Wexil.Web.Studio.Keep;

/// <summary>By what a test is judged and when a page is kept by itself, as it is typed.</summary>
public sealed class RuleForm
{
    private const int MaxDays = 365,
        MaxConversions = 100_000;
    private const long MinVisitors = 100,
        MaxVisitors = 100_000_000;

    public bool OnMoney { get; set; }
    public KeepBy By { get; set; }
    public string? Sureness { get; set; }
    public string? Conversions { get; set; }
    public string? Days { get; set; }
    public string? Latest { get; set; }
    public bool LeaderAtLatest { get; set; }
    public bool RestsLosers { get; set; }
    public bool WholeWeeks { get; set; }
    public string? Visitors { get; set; }
    public CheckForm Check { get; set; } = new();

    public static RuleForm From(KeepRule rule) =>
        new()
        {
            OnMoney = rule.OnMoney,
            By = rule.By,
            Sureness = Percent(rule.Sureness),
            Conversions = rule.Conversions.ToString(CultureInfo.InvariantCulture),
            Days = rule.Days.ToString(CultureInfo.InvariantCulture),
            Latest = rule.Latest?.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
            LeaderAtLatest = rule.LeaderAtLatest,
            RestsLosers = rule.RestsLosers,
            // Where nothing is kept by itself yet, it is proposed.
            WholeWeeks = rule.WholeWeeks || rule.By == KeepBy.Hand,
            Visitors = rule.Visitors.ToString(CultureInfo.InvariantCulture),
            Check = CheckForm.From(rule.Check),
        };

    /// <summary>Reads it, or says by the fields what is wrong; null then.</summary>
    public KeepRule? Read(ModelStateDictionary state, string prefix, DateOnly today)
    {
        void Wrong(string field, string problem) => state.AddModelError($"{prefix}.{field}", problem);
        var rule = new KeepRule(By, OnMoney)
        {
            LeaderAtLatest = LeaderAtLatest,
            RestsLosers = RestsLosers,
            WholeWeeks = WholeWeeks && By == KeepBy.Sure,
        };
        if (By == KeepBy.Sure)
            rule = ReadSure(rule, today, Wrong);
        else if (By == KeepBy.Visitors)
        {
            if (!Whole(Visitors, MinVisitors, MaxVisitors, out var visitors))
                Wrong(nameof(Visitors), $"Enter a whole number of at least {MinVisitors}.");
            rule = rule with { Visitors = visitors };
        }
        if (By != KeepBy.Hand)
            rule = rule with { Check = Check.Read(state, $"{prefix}.{nameof(Check)}") };
        return state.IsValid ? rule : null;
    }

    private KeepRule ReadSure(KeepRule rule, DateOnly today, Action<string, string> wrong)
    {
        var sureness = ReadSureness();
        if (sureness is null)
            wrong(
                nameof(Sureness),
                $"Enter a percentage from {Percent(KeepRule.MinSureness)} to {Percent(KeepRule.MaxSureness)}."
            );
        if (!Whole(Conversions, AlwaysValidTest.MinConversions, MaxConversions, out var conversions))
            wrong(
                nameof(Conversions),
                $"Enter a whole number of at least {AlwaysValidTest.MinConversions}: fewer are too few to decide."
            );
        if (!Whole(Days, 1, MaxDays, out var days))
            wrong(nameof(Days), $"Enter whole days from 1 to {MaxDays}.");
        var latest = ReadDay(today);
        if (!string.IsNullOrWhiteSpace(Latest) && latest is null)
            wrong(nameof(Latest), "Enter a future day such as 2026-12-24, or leave empty.");
        return rule with
        {
            Sureness = sureness ?? rule.Sureness,
            Conversions = (int)conversions,
            Days = (int)days,
            Latest = latest,
        };
    }

    // From percent.
    private double? ReadSureness()
    {
        var isNumber = double.TryParse(
            Sureness?.Trim().TrimEnd('%'),
            NumberStyles.AllowDecimalPoint,
            CultureInfo.InvariantCulture,
            out var percent
        );
        return isNumber && percent is >= KeepRule.MinSureness * 100 and <= KeepRule.MaxSureness * 100
            ? percent / 100
            : null;
    }

    private DateOnly? ReadDay(DateOnly today)
    {
        var isDay = DateOnly.TryParseExact(
            Latest,
            "yyyy-MM-dd",
            CultureInfo.InvariantCulture,
            DateTimeStyles.None,
            out var day
        );
        return isDay && day > today ? day : null;
    }

    /// <summary>The rule in a sentence, for the log and the screen.</summary>
    public static string Words(KeepRule rule)
    {
        var by = rule.OnMoney ? "Decided by revenue per visitor" : "Decided by the main goal";
        var after = rule.Check is { } check
            ? $"; then checked for {Format.Count(check.Weeks, "week", "weeks")} with {check.Share}% of the visitors"
            : "";
        return rule.By switch
        {
            KeepBy.Sure => $"{by}; kept automatically when {Percent(rule.Sureness)}% sure, after "
                + $"{Format.Count(rule.Days, "day", "days")} and {Format.Count(rule.Conversions)} conversions "
                + "on each page"
                + (rule.WholeWeeks ? ", after full weeks" : "")
                + (
                    rule.Latest is { } latest
                        ? $", on {Format.Day(latest)} at the latest "
                            + $"({(rule.LeaderAtLatest ? "the page that is ahead" : "the control stays")})"
                        : ""
                )
                + (rule.RestsLosers ? "; losing pages leave rotation" : "")
                + after,
            KeepBy.Visitors => $"{by}; the page that is ahead is kept after {Format.Count(rule.Visitors)} visitors"
                + after,
            _ => $"{by}; kept by hand",
        };
    }

    private static bool Whole(string? written, long least, long most, out long number) =>
        long.TryParse(
            written?.Replace(",", "", StringComparison.Ordinal).Trim(),
            NumberStyles.None,
            CultureInfo.InvariantCulture,
            out number
        )
        && number >= least
        && number <= most;

    private static string Percent(double share) => (share * 100).ToString("0.#", CultureInfo.InvariantCulture);
}
