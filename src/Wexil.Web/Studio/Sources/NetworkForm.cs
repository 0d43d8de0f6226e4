using System.Globalization;
using Microsoft.AspNetCore.Mvc.ModelBinding;
using Wexil.Core.AdNetworks;
using Wexil.Store;

namespace Wexil.Web.Studio.Sources;

/// <summary>An ad network's side of a source, as it is typed.</summary>
public sealed class NetworkForm
{
    private const decimal Millionths = 1_000_000,
        Default = 10,
        Highest = 1000;

    public bool IsOne { get; set; }
    public string? Click { get; set; }
    public string? Cost { get; set; }
    public string? Most { get; set; }
    public string? Postback { get; set; }
    public bool TellsOptIns { get; set; } = true;
    public bool TellsSales { get; set; } = true;

    public static NetworkForm From(Network? network) =>
        network is null
            ? new()
            : new()
            {
                IsOne = true,
                Click = network.Click.ToString(),
                Cost = network.Cost?.ToString(),
                Most = (network.MostAClick / Millionths).ToString("0.######", CultureInfo.InvariantCulture),
                Postback = network.Postback?.Template,
                TellsOptIns = network.TellsOptIns,
                TellsSales = network.TellsSales,
            };

    /// <summary>Reads it, or says by the fields what is wrong; null for no network.</summary>
    public Network? Read(ModelStateDictionary state, string prefix)
    {
        if (!IsOne)
            return null;
        void Wrong(string field, string problem) => state.AddModelError($"{prefix}.{field}", problem);
        const string parts = "Enter a parameter and the network’s placeholder, such as ";
        if (LinkPart.Parse(Click) is not { } click)
        {
            Wrong(nameof(Click), parts + "click={click_id}.");
            click = default;
        }
        var cost = LinkPart.Parse(Cost);
        if (cost is null && !string.IsNullOrWhiteSpace(Cost))
            Wrong(nameof(Cost), parts + "cost={cost}, or leave empty.");
        if (cost is not null && cost.Value.Name == click.Name)
            Wrong(nameof(Cost), "Use a different parameter from the click ID.");
        var most = Default;
        if (
            !string.IsNullOrWhiteSpace(Most)
            && (
                !decimal.TryParse(Most, NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out most)
                || most is <= 0 or > Highest
            )
        )
            Wrong(nameof(Most), $"Enter an amount above 0 and up to {Highest}, such as 5.00.");
        PostbackAddress? postback = null;
        if (!string.IsNullOrWhiteSpace(Postback))
        {
            (postback, var problem) = PostbackAddress.Read(Postback);
            if (problem is not null)
                Wrong(nameof(Postback), problem);
        }
        return new(click, cost, (long)(most * Millionths), postback, TellsOptIns, TellsSales);
    }
}
