using Wexil.Store;

namespace Wexil.App.Wording;

/// <summary>Says what a person did.</summary>
public static class ActivityWording
{
    /// <summary>A sentence without a subject: “Opted in on …”.</summary>
    public static string Say(Activity activity) =>
        activity switch
        {
            Activity.OptedIn opted => $"Opted in on {Quoted(opted.Page)}",
            Activity.ConfirmedAddress => "Confirmed the e-mail address",
            Activity.ShownPage shown => $"Was shown {Quoted(shown.Page)} in the test {Quoted(shown.Test)}",
            Activity.Converted converted => $"Converted in {Quoted(converted.Test)}",
            Activity.Bought { Balance.IsWaiting: true } bought =>
                $"Order {bought.Order}: {RefundWording.Say(bought.Currency, bought.Balance)}",
            Activity.Bought bought => $"Bought {Product(bought)} for {bought.Currency.Show(bought.Balance.Sold)} "
                + $"(order {bought.Order}){WentBack(bought)}",
            Activity.TakenIn => "Imported from a file",
            _ => throw new ArgumentOutOfRangeException(nameof(activity)),
        };

    private static string Product(Activity.Bought bought) => bought.Product.Length > 0 ? bought.Product : "something";

    private static string WentBack(Activity.Bought bought) =>
        RefundWording.Say(bought.Currency, bought.Balance) is { } back ? $", {back}" : "";

    private static string Quoted(string name) => name.StartsWith('“') ? name : $"“{name}”";
}
