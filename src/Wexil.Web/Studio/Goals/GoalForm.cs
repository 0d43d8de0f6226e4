using System.Globalization;
using AngleSharp.Css.Parser;
using Microsoft.AspNetCore.Mvc.ModelBinding;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Goals;
using Wexil.Core.Sales;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Goals;

/// <summary>The fields of a goal in a page.</summary>
/// <param name="Name">The form's name there.</param>
public sealed record GoalFields(GoalForm Form, string Name, StepScreen Screen, Currency Currency, string Title);

/// <summary>A goal as it is typed.</summary>
public sealed class GoalForm
{
    private const int MaxNameLength = 80,
        MaxElementLength = 200;

    public GoalKind Kind { get; set; } = GoalKind.OptIn;
    public string? Name { get; set; }
    public long? Step { get; set; }
    public AddressMatch Match { get; set; }
    public string? Address { get; set; }
    public bool IgnoresCase { get; set; }
    public string? Element { get; set; }
    public List<long> Pages { get; set; } = [];
    public string? Products { get; set; }
    public string? Value { get; set; }
    public bool ValueComes { get; set; }
    public string? Window { get; set; }
    public bool EveryTime { get; set; }
    public bool LessIsBetter { get; set; }

    /// <summary>Which kinds are offered.</summary>
    public static IReadOnlyList<(GoalKind Kind, string Words)> Kinds { get; } =
    [
        (GoalKind.OptIn, "Opt-in on a hosted page"),
        (GoalKind.Sale, "Sale reported by the payment service"),
        (GoalKind.Step, "Reaches a later step"),
        (GoalKind.Address, "Visits an address"),
        (GoalKind.Click, "Click on an element"),
        (GoalKind.Signal, "Signal from a page or server"),
    ];

    /// <summary>Reads it, or says by the fields what is wrong; null then.</summary>
    /// <param name="prefix">The form's name in the page.</param>
    public Goal? Read(ModelStateDictionary state, string prefix, StepScreen screen, Currency currency)
    {
        var before = state.ErrorCount;
        void Wrong(string field, string problem) => state.AddModelError($"{prefix}.{field}", problem);
        var element = Element?.Trim() ?? "";
        if (Target(screen, element) is var (field, problem))
            Wrong(field, problem);
        var value = string.IsNullOrWhiteSpace(Value) ? 0 : Locale.Current.ParseMoney(currency, Value);
        if (value is null)
            Wrong(nameof(Value), $"Enter an amount such as {currency.Write(3900)}.");
        var window = Days();
        if (!string.IsNullOrWhiteSpace(Window) && window is null)
            Wrong(nameof(Window), $"Enter a number of days from 1 to {Goal.MaxWindowDays}, or leave empty.");
        string[] products =
        [
            .. (Products ?? "").Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries),
        ];
        if (products.Any(product => product.Length > SaleNotice.MaxNameLength))
            Wrong(nameof(Products), $"A product’s name has at most {SaleNotice.MaxNameLength} characters.");
        if (Name?.Trim().Length > MaxNameLength)
            Wrong(nameof(Name), $"At most {MaxNameLength} characters.");
        if (state.ErrorCount > before)
            return null;
        return new Goal(Kind, Name?.Trim() is { Length: > 0 } name ? name : UsualName(screen, products, element))
        {
            Step = Kind == GoalKind.Step ? new StepId(Step!.Value) : null,
            Address = Kind == GoalKind.Address ? Pattern() : null,
            Element = Kind == GoalKind.Click ? element : "",
            Pages = Kind == GoalKind.OptIn ? [.. Pages.Select(page => new PageId(page))] : [],
            Products = Kind == GoalKind.Sale ? products : [],
            Value = value ?? 0,
            ValueComes = ValueComes && Kind is (GoalKind.Sale or GoalKind.Signal),
            WindowDays = window,
            EveryTime = EveryTime,
            LessIsBetter = LessIsBetter,
        };
    }

    /// <summary>What is wrong with what has to be met; null for nothing.</summary>
    private (string Field, string Problem)? Target(StepScreen screen, string element) =>
        Kind switch
        {
            GoalKind.Step when screen.LaterSteps.All(step => step.Id.Value != Step) => (
                nameof(Step),
                "Choose a step that comes after this one."
            ),
            GoalKind.Address when Pattern().Problem() is { } problem => (nameof(Address), problem),
            GoalKind.Click when element.Length == 0 => (
                nameof(Element),
                "Enter a CSS selector: #order, .buy, a[href*=kit]."
            ),
            GoalKind.Click
                when element.Length > MaxElementLength || new CssSelectorParser().ParseSelector(element) is null => (
                nameof(Element),
                "This is not a valid CSS selector."
            ),
            _ => null,
        };

    private int? Days() =>
        int.TryParse(Window, NumberStyles.None, CultureInfo.InvariantCulture, out var days)
        && days is >= 1 and <= Goal.MaxWindowDays
            ? days
            : null;

    public AddressPattern Pattern() => new(Match, Address?.Trim() ?? "", IgnoresCase);

    private static string StepName(Goal goal, StepScreen screen) =>
        screen.Steps.FirstOrDefault(step => step.Id == goal.Step)?.Name ?? "an archived step";

    private static string Words(AddressPattern address)
    {
        var match = address.Match switch
        {
            AddressMatch.Exact => "is",
            AddressMatch.Begins => "begins with",
            _ => "matches the expression:",
        };
        return $"{match} {address.Text}{(address.IgnoresCase ? ", ignoring case" : "")}";
    }

    /// <summary>A goal in a line.</summary>
    public static string Words(Goal goal, StepScreen screen, Currency currency)
    {
        var what = goal.Kind switch
        {
            GoalKind.Step => $"reaches {Format.Quoted(StepName(goal, screen))}",
            GoalKind.Address => $"reaches an address that {Words(goal.Address!)}",
            GoalKind.OptIn => goal.Pages.Count == 0
                ? "opts in on any page of the funnel"
                : $"opts in on {Format.Count(goal.Pages.Count, "chosen page", "chosen pages")}",
            GoalKind.Sale => goal.Products.Count == 0
                ? "buys any product"
                : $"buys {string.Join(" or ", goal.Products)}",
            GoalKind.Click => $"clicks on {goal.Element}",
            _ => "sends a signal",
        };
        var worth =
            goal.ValueComes ? "valued at the amount sent"
            : goal.Value > 0 ? $"valued at {currency.Show(goal.Value)}"
            : null;
        return string.Join(
            ", ",
            new[]
            {
                what,
                goal.WindowDays is { } days ? $"within {Format.Count(days, "day", "days")}" : null,
                goal.EveryTime ? "each time" : null,
                worth,
                goal.LessIsBetter ? "fewer is better" : null,
            }.OfType<string>()
        );
    }

    private string UsualName(StepScreen screen, string[] products, string element) =>
        Kind switch
        {
            GoalKind.OptIn => "Opt-in",
            GoalKind.Sale => products.Length > 0 ? $"Sale of {products[0]}" : "Sale",
            GoalKind.Step => screen.Steps.First(step => step.Id.Value == Step).Name,
            GoalKind.Address => Address!.Trim() is { Length: > 60 } text ? text[..60] : Address.Trim(),
            GoalKind.Click => $"Click on {(element.Length > 50 ? element[..50] : element)}",
            _ => "Signal",
        };
}
