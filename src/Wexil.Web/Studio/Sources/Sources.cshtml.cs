using System.ComponentModel.DataAnnotations;
using System.Globalization;
using Microsoft.AspNetCore.Mvc;
using Wexil.App;
using Wexil.App.Wording;
using Wexil.Core.Common;
using Wexil.Core.Funnels;
using Wexil.Core.Targeting;
using Wexil.Store;
using Wexil.Web.Studio.Auditing;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.Sources;

/// <summary>The sources of a funnel: their links, what they cost, what they brought.</summary>
[UploadLimit(4)]
public sealed class SourcesModel(
    FunnelStore funnels,
    PageStore pages,
    SourceStore sources,
    OutboxStore outgoing,
    SettingStore settings,
    RateStore rates,
    OwnerTime clock,
    VisitorsAddress visitors
) : FunnelPageModel(funnels)
{
    public IReadOnlyList<Step> Steps { get; private set; } = [];
    public IReadOnlyDictionary<StepId, IReadOnlyList<Core.Pages.Page>> Pages { get; private set; } =
        new Dictionary<StepId, IReadOnlyList<Core.Pages.Page>>();
    public SourceTable Table { get; private set; } = null!;
    public Source? Chosen { get; private set; }
    public IReadOnlyList<CostRow> Preview { get; private set; } = [];
    public Currency Currency => settings.Currency;

    [BindProperty(SupportsGet = true)]
    public long? Edit { get; set; }

    [BindProperty]
    [StringLength(80, ErrorMessage = "At most 80 characters.")]
    public string? Name { get; set; }

    [BindProperty]
    public string? Tag { get; set; }

    [BindProperty]
    public SourceKind Kind { get; set; }

    [BindProperty]
    public string? ClickCost { get; set; }

    /// <summary>By step, the page that the source's visitors see.</summary>
    [BindProperty]
    public Dictionary<string, string?> Ties { get; set; } = [];

    [BindProperty(Name = nameof(Network))]
    public NetworkForm Network { get; set; } = new();

    /// <summary>What the chosen source was told as an ad network; null where it is none.</summary>
    public OutboxState? Told { get; private set; }

    [BindProperty]
    public string? Worth { get; set; }

    [BindProperty]
    public string? Csv { get; set; }

    [BindProperty]
    public IFormFile? Upload { get; set; }

    [BindProperty]
    public TableChoice Choice { get; set; } = new();

    public TableFile? CostTable { get; private set; }

    public string Address => $"/f/{Funnel.Slug}/sources";

    /// <summary>The links of a source, one a step, with the parameters that other analytics know.</summary>
    public IEnumerable<(Step Step, string Link)> Links(Source source)
    {
        var network = sources.Network(source.Id);
        var filledIn = network is null ? "" : $"&{network.Click}{(network.Cost is { } cost ? $"&{cost}" : "")}";
        var medium = SourceWording.Medium(source.Kind);
        var parameters =
            $"?s={source.Tag}&utm_source={source.Tag}&utm_medium={medium}&utm_campaign={Funnel.Slug}{filledIn}";
        return Steps.Select(step => (step, visitors.Link(step.Slug) + parameters));
    }

    protected override void Read()
    {
        Steps = [.. Funnels.Steps(Funnel.Id).Where(step => !step.IsArchived)];
        Pages = Steps.ToDictionary(step => step.Id, step => pages.ForStep(step.Id));
        Table = new(sources.Lines(Funnel.Id, Currency), Funnel.SaleWorth, Currency);
        Chosen = Edit is { } id ? Table.Lines.FirstOrDefault(line => line.Source?.Id.Value == id)?.Source : null;
        if (Chosen is not null && sources.Network(Chosen.Id) is not null)
            Told = outgoing.State(Chosen.Id);
    }

    public void OnGet()
    {
        Worth = Funnel.SaleWorth is { } worth ? Currency.Write(worth) : null;
        if (Chosen is null)
            return;
        (Name, Tag, Kind, ClickCost) = (
            Chosen.Name,
            Chosen.Tag,
            Chosen.Kind,
            Chosen.ClickCost is { } cost ? Currency.Write(cost) : null
        );
        Network = NetworkForm.From(sources.Network(Chosen.Id));
        Ties = Chosen.Ties.ToDictionary(
            tie => tie.Key.Value.ToString(CultureInfo.InvariantCulture),
            tie => (string?)tie.Value.Value.ToString(CultureInfo.InvariantCulture)
        );
    }

    [Logged("Saved a traffic source")]
    public async Task<IActionResult> OnPostSaveAsync()
    {
        if (string.IsNullOrWhiteSpace(Name))
            ModelState.AddModelError(nameof(Name), "Enter a name, such as Newsletter.");
        var tag = Chosen?.Tag ?? SourceTag.From(string.IsNullOrWhiteSpace(Tag) ? Name : Tag);
        if (tag.Length == 0)
            ModelState.AddModelError(nameof(Tag), "Use letters, digits and hyphens, such as newsletter.");
        long? cost = null;
        if (!string.IsNullOrWhiteSpace(ClickCost) && (cost = Locale.Current.ParseMoney(Currency, ClickCost)) is null)
            ModelState.AddModelError(nameof(ClickCost), "Enter an amount such as 0.35.");
        var ties = new Dictionary<StepId, PageId>();
        foreach (var (key, value) in Ties)
        {
            if (!long.TryParse(value, out var page))
                continue;
            var step = Pages.Keys.FirstOrDefault(known => known.Value.ToString(CultureInfo.InvariantCulture) == key);
            if (Pages.TryGetValue(step, out var own) && own.Any(known => known.Id.Value == page))
                ties[step] = new(page);
            else
                ModelState.AddModelError(nameof(Ties), "Choose a page of the step.");
        }
        var network = Network.Read(ModelState, nameof(Network));
        if (network?.Cost is not null && cost is not null)
            ModelState.AddModelError(
                nameof(ClickCost),
                "The link already sends the click cost; leave one of the two empty."
            );
        if (ModelState.IsValid && !await sources.SaveAsync(Funnel.Id, Chosen?.Id, tag, Name!.Trim(), Kind, cost, ties))
            ModelState.AddModelError(nameof(Tag), $"Another source has the tag {tag}.");
        if (!ModelState.IsValid)
            return Page();
        await sources.SetNetworkAsync(sources.ForFunnel(Funnel.Id).Single(source => source.Tag == tag).Id, network);
        Done = $"{Name!.Trim()} saved. Its links have s={tag}.";
        return Redirect(Address);
    }

    [Logged("Resent conversions of a traffic source")]
    public async Task<IActionResult> OnPostAgainAsync()
    {
        if (Chosen is null)
            return NotFound();
        await outgoing.AgainAsync(Chosen.Id);
        Done = $"{Chosen.Name} will be retried.";
        return Redirect($"{Address}?edit={Chosen.Id.Value}#source");
    }

    [Logged("Changed what a lead is worth")]
    public async Task<IActionResult> OnPostWorthAsync()
    {
        long? worth = null;
        if (!string.IsNullOrWhiteSpace(Worth) && (worth = Locale.Current.ParseMoney(Currency, Worth)) is null)
        {
            ModelState.AddModelError(nameof(Worth), "Enter an amount such as 39.00.");
            return Page();
        }
        await Funnels.SetSaleWorthAsync(Funnel.Id, worth);
        Done = worth is null
            ? "Sale value removed. Revenue is no longer estimated."
            : $"A sale counts as {Currency.Show(worth.Value)}.";
        return Redirect(Address);
    }

    [Logged(null)]
    public async Task<IActionResult> OnPostCostsAsync()
    {
        await ReadCostsAsync();
        return Page();
    }

    [Logged("Took costs in from a file")]
    public async Task<IActionResult> OnPostTakeInAsync()
    {
        await ReadCostsAsync();
        if (!ModelState.IsValid)
            return Page();
        var costs = Preview.Where(row => row.Changes).Select(row => row.Cost!).ToArray();
        await settings.RememberTableAsync(CostTable!.Mapping);
        await sources.SetCostsAsync(costs);
        var bad = Preview.Count(row => row.Problem is not null);
        Done =
            (
                costs.Length == 0
                    ? "Nothing new to import."
                    : $"{costs.Length} {(costs.Length == 1 ? "day" : "days")} of costs imported."
            ) + (bad > 0 ? $" {bad} {(bad == 1 ? "line was" : "lines were")} skipped." : "");
        return Redirect(Address);
    }

    private async Task ReadCostsAsync()
    {
        CostTable = await CsvForm.ReadAsync(this, CostFile.Kind, Csv, Upload, Choice, settings);
        if (CostTable is null)
            return;
        Csv = CostTable.Text;
        Preview = CostFile.Read(
            CostTable,
            Table.Lines,
            sources.Costs(Funnel.Id),
            new(Currency, rates.All()),
            DateOnly.FromDateTime(TimeZoneInfo.ConvertTime(clock.Now, settings.Zone).DateTime)
        );
    }
}
