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
        if (LinkPart.Parse(Click) is not { } click)
        {
            state.AddModelError(
                $"{prefix}.{nameof(Click)}",
                "The parameter and what the network fills in, such as click={click_id}."
            );
            click = default;
        }
        var cost = LinkPart.Parse(Cost);
        if (cost is null && !string.IsNullOrWhiteSpace(Cost))
            state.AddModelError(
                $"{prefix}.{nameof(Cost)}",
                "The parameter and what the network fills in, such as cost={cost}; or nothing."
            );
        if (cost is not null && cost.Value.Name == click.Name)
            state.AddModelError($"{prefix}.{nameof(Cost)}", "This needs another parameter than the click.");
        var most = Default;
        if (
            !string.IsNullOrWhiteSpace(Most)
            && (
                !decimal.TryParse(Most, NumberStyles.AllowDecimalPoint, CultureInfo.InvariantCulture, out most)
                || most is <= 0 or > Highest
            )
        )
            state.AddModelError($"{prefix}.{nameof(Most)}", $"An amount above 0 and up to {Highest}, such as 5.00.");
        PostbackAddress? postback = null;
        if (!string.IsNullOrWhiteSpace(Postback))
        {
            (postback, var problem) = PostbackAddress.Read(Postback);
            if (problem is not null)
                state.AddModelError($"{prefix}.{nameof(Postback)}", problem);
        }
        return new(click, cost, (long)(most * Millionths), postback, TellsOptIns, TellsSales);
    }
}
