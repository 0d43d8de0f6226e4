using System.Text.Json;
using Microsoft.Data.Sqlite;
using Wexil.Core.Assignments;
using Wexil.Core.Common;
using Wexil.Core.Sales;
using Wexil.Core.Tables;
using Wexil.Store.Recording;
using Wexil.Store.Retention;

namespace Wexil.Store;

/// <summary>The owner's settings.</summary>
public sealed class SettingStore
{
    private const string PrivateName = "fetch-private-addresses";
    internal const string AffiliateName = "affiliate-parameter",
        MappingName = "hook-mapping",
        PrivacyName = "heed-privacy-control",
        ConsentName = "needs-consent",
        ZoneName = "time-zone",
        CurrencyName = "currency";
    private const string TablesName = "table-mappings";
    private const int MaxTables = 12;
    private const string OwnerMailName = "owner-mail",
        OwnerNameName = "owner-name",
        AccentName = "brand-accent",
        SerifName = "brand-serif",
        PaperName = "brand-paper",
        LogoName = "brand-logo";

    private const string KeepVisitsName = "keep-visits-months",
        KeepPeopleName = "keep-people-months",
        KeepBuyersName = "keep-buyers-months";

    private readonly Journal _journal;
    private readonly ByHeart<Dictionary<string, string>> _known;

    /// <summary>Screens ask for the zone and the currency with every figure, so all are known by heart.</summary>
    public SettingStore(Database database, Journal journal)
    {
        _journal = journal;
        _known = new(() =>
            database.Read(c =>
                c.Rows("SELECT name, value FROM settings", row => (row.GetString(0), row.GetString(1))).ToDictionary()
            )
        );
        journal.Changed += changed =>
        {
            if (changed.OfAll)
                _known.Forget();
        };
    }

    /// <summary>The owner's time zone.</summary>
    public TimeZoneInfo Zone =>
        Get(ZoneName) is { } id && TimeZoneInfo.TryFindSystemTimeZoneById(id, out var zone) ? zone : TimeZoneInfo.Utc;

    /// <summary>The owner lets the server fetch pages from private and loopback addresses.</summary>
    public bool FetchesPrivateAddresses => Get(PrivateName) == "yes";

    /// <summary>Allows pages to be fetched from private addresses, or not.</summary>
    public Task SetFetchesPrivateAddressesAsync(bool allowed) => SetAsync(PrivateName, allowed ? "yes" : "no");

    /// <summary>The parameter by which affiliates' links name the affiliate.</summary>
    public string AffiliateParameter => Get(AffiliateName) ?? RouteTable.DefaultAffiliateParameter;

    /// <summary>Names the parameter by which links name an affiliate.</summary>
    public Task SetAffiliateParameterAsync(string name) => SetAsync(AffiliateName, name);

    /// <summary>The currency that the owner counts in.</summary>
    public Currency Currency => Currency.Find(Get(CurrencyName)) ?? Currency.Default;

    /// <summary>Every order is counted by what it is worth in it.</summary>
    public Task SetCurrencyAsync(Currency currency) =>
        currency == Currency
            ? Task.CompletedTask
            : _journal.WriteAsync(c => RateStore.Recount(c, () => Set(c, CurrencyName, currency.Code)));

    /// <summary>Where the owner is told what happens; null where that is not wanted.</summary>
    public string? OwnerMail => Get(OwnerMailName) is { Length: > 0 } address ? address : null;

    /// <summary>Says where the owner is mailed; null for nowhere.</summary>
    public Task SetOwnerMailAsync(string? address) => SetAsync(OwnerMailName, address ?? "");

    /// <summary>The color of buttons on starter pages; null where none was chosen.</summary>
    public string? BrandAccent => Get(AccentName);

    /// <summary>Starter pages are set in a typeface with serifs; null where nothing was chosen.</summary>
    public bool? BrandIsSerif => Get(SerifName) is { } serif ? serif == "yes" : null;

    /// <summary>The color behind the text of starter pages; null where none was chosen.</summary>
    public string? BrandPaper => Get(PaperName);

    /// <summary>The owner's logo, with the extension of its file such as ".png"; null for none.</summary>
    public (string Extension, byte[] Content)? BrandLogo =>
        Get(LogoName)?.Split(' ') is [var extension, var content]
            ? (extension, Convert.FromBase64String(content))
            : null;

    /// <summary>Keeps what only the brand kit asks for.</summary>
    public Task SetBrandPaperAsync(string paper) => SetAsync(PaperName, paper);

    /// <summary>Keeps a logo, or none.</summary>
    public Task SetBrandLogoAsync(string extension, byte[] content) =>
        SetAsync(LogoName, content.Length == 0 ? "" : $"{extension} {Convert.ToBase64String(content)}");

    /// <summary>Keeps the look for the next starter page.</summary>
    public async Task SetBrandAsync(string accent, bool isSerif)
    {
        await SetAsync(AccentName, accent);
        await SetAsync(SerifName, isSerif ? "yes" : "no");
    }

    /// <summary>Who the owner is, for those who are shown a report; null where nothing was said.</summary>
    public string? OwnerName => Get(OwnerNameName) is { Length: > 0 } name ? name : null;

    /// <summary>Sets who the owner is; null for nothing.</summary>
    public Task SetOwnerNameAsync(string? name) => SetAsync(OwnerNameName, name ?? "");

    /// <summary>What the owner's payment service calls things, and how it signs.</summary>
    public HookMapping HookMapping =>
        Get(MappingName) is { } mapping ? HookMapping.Parse(mapping) : HookMapping.Default;

    /// <summary>Says by which names a payment service sends its sales.</summary>
    public Task SetHookMappingAsync(HookMapping mapping) => SetAsync(MappingName, mapping.ToJson());

    /// <summary>How files are read whose columns the owner confirmed, the latest first.</summary>
    public IReadOnlyList<TableMapping> TableMappings =>
        Get(TablesName) is { } known ? JsonSerializer.Deserialize<TableMapping[]>(known) ?? [] : [];

    /// <summary>Keeps how a file is read, for the next with the same header line; the oldest of many goes.</summary>
    public Task RememberTableAsync(TableMapping mapping)
    {
        var others = TableMappings.Where(known => !known.IsFor(mapping.Kind, mapping.Columns));
        return SetAsync(TablesName, JsonSerializer.Serialize(others.Prepend(mapping).Take(MaxTables)));
    }

    /// <summary>
    /// Visitors whose browser sends Global Privacy Control get no cookie and are left out of every count; so it is
    /// unless the owner says otherwise.
    /// </summary>
    public bool HeedsPrivacyControl => Get(PrivacyName) != "no";

    /// <summary>Visitors get no cookie until they say that they agree to one.</summary>
    public bool NeedsConsent => Get(ConsentName) == "yes";

    /// <summary>Waits for consent before a cookie is given, or not.</summary>
    public Task SetNeedsConsentAsync(bool needs) => SetAsync(ConsentName, needs ? "yes" : "no");

    /// <summary>Leaves visitors out who ask for it by Global Privacy Control, or not.</summary>
    public Task SetHeedsPrivacyControlAsync(bool heeds) => SetAsync(PrivacyName, heeds ? "yes" : "no");

    /// <summary>How long what is kept; everything forever until the owner says otherwise.</summary>
    public RetentionPeriods Retention => new(Months(KeepVisitsName), Months(KeepPeopleName), Months(KeepBuyersName));

    /// <summary>Says how long what is kept. What is older goes with the next night's work.</summary>
    public Task SetRetentionAsync(RetentionPeriods periods) =>
        _journal.WriteAsync(c =>
        {
            Set(c, KeepVisitsName, $"{periods.Visits}");
            Set(c, KeepPeopleName, $"{periods.People}");
            Set(c, KeepBuyersName, $"{periods.Buyers}");
        });

    /// <summary>Orders may stand on another day by it, and so by another rate.</summary>
    public Task SetZoneAsync(TimeZoneInfo zone) =>
        zone.Id == Zone.Id
            ? Task.CompletedTask
            : _journal.WriteAsync(c => RateStore.Recount(c, () => Set(c, ZoneName, zone.Id)));

    private int? Months(string name) => int.TryParse(Get(name), out var months) ? months : null;

    internal string? Get(string name) => _known.Value.GetValueOrDefault(name);

    internal Task SetAsync(string name, string value, bool overwrite = true) =>
        _journal.WriteAsync(c => Set(c, name, value, overwrite));

    private static void Set(SqliteConnection c, string name, string value, bool overwrite = true) =>
        c.Execute(
            $"""
            INSERT INTO settings (name, value) VALUES ($1, $2)
            ON CONFLICT DO {(overwrite ? "UPDATE SET value = excluded.value" : "NOTHING")}
            """,
            name,
            value
        );
}
