using System.CommandLine;
using System.Net;
using Wexil.App.Backups;
using Wexil.Web.Hosting;

namespace Wexil.Web.Commands;

/// <summary>What can be said to <c>wexil serve</c>.</summary>
internal sealed class ServeOptions
{
    private const string Text = "text",
        Json = "json";

    private readonly AddressOptions _addresses = new();
    private readonly Option<string[]> _proxies = Proxies();

    private readonly Option<string> _data = CommandOptions.Data();

    private readonly Option<Uri?> _publicStudio = CommandOptions.Address(
        "--public-studio",
        "Address of the signed-in side as browsers see it, behind a proxy.",
        null
    );

    private readonly Option<Uri?> _publicVisitors = CommandOptions.Address(
        "--public-visitors",
        "The visitors' address as browsers see it: the one in ads.",
        null
    );

    private readonly Option<bool> _powerLoss = new("--survive-power-loss")
    {
        Description = "Wait for the disk at every commit.",
    };

    private readonly Option<string?> _countryHeader = new("--country-header")
    {
        Description = "Header with the visitor's country (two letters) from a trusted proxy.",
    };

    private readonly Option<string[]> _visitorsNames = new("--visitors-name")
    {
        Description = "A further host name that leads visitors here; can be given several times.",
    };

    private readonly Option<string?> _backups = new("--backups")
    {
        Description =
            "Folder for hourly and nightly backups, or none (also WEXIL_BACKUPS; backups in the data folder).",
    };

    private readonly Option<string?> _handOver = new("--after-backup")
    {
        Description = "Program that is called with the path of each new backup, to take it elsewhere.",
    };

    private readonly Option<string> _logFormat = LogFormat();

    public void AddTo(Command command)
    {
        command.Add(_data);
        command.Add(_addresses.Studio);
        command.Add(_addresses.Visitors);
        command.Add(_publicStudio);
        command.Add(_publicVisitors);
        command.Add(_powerLoss);
        command.Add(_proxies);
        command.Add(_countryHeader);
        command.Add(_visitorsNames);
        command.Add(_backups);
        command.Add(_handOver);
        command.Add(_logFormat);
    }

    public WexilOptions Read(ParseResult result) =>
        new()
        {
            Data = result.GetValue(_data)!,
            Studio = result.GetValue(_addresses.Studio)!,
            Visitors = result.GetValue(_addresses.Visitors)!,
            PublicStudio = result.GetValue(_publicStudio),
            PublicVisitors = result.GetValue(_publicVisitors),
            SurvivePowerLoss = result.GetValue(_powerLoss),
            TrustedProxies = [.. (result.GetValue(_proxies) ?? []).Select(IPAddress.Parse)],
            CountryHeader = result.GetValue(_countryHeader),
            VisitorsNames = result.GetValue(_visitorsNames) ?? [],
            StudioHandle = HandedSockets.Find("studio"),
            VisitorsHandle = HandedSockets.Find("visitors"),
            Backups = Backups(result),
            LogsJson = result.GetValue(_logFormat) == Json,
            MetricsKey = CommandOptions.FromEnvironment("WEXIL_METRICS_KEY") is { Length: > 0 } key ? key : null,
            // By the environment, because others on the machine can read a command line.
            Smtp = CommandOptions.Smtp(CommandOptions.FromEnvironment("WEXIL_SMTP")),
            MailFrom = CommandOptions.FromEnvironment("WEXIL_MAIL_FROM") ?? "wexil@localhost",
        };

    private BackupOptions Backups(ParseResult result)
    {
        var folder = result.GetValue(_backups) ?? CommandOptions.FromEnvironment("WEXIL_BACKUPS");
        return folder == "none"
            ? new()
            : new(
                Path.GetFullPath(folder ?? Path.Combine(result.GetValue(_data)!, "backups")),
                CommandOptions.BackupPassphrase(),
                result.GetValue(_handOver)
            );
    }

    private static Option<string> LogFormat()
    {
        var format = new Option<string>("--log-format")
        {
            Description = "Lines of the log as text or json (also WEXIL_LOG_FORMAT).",
            DefaultValueFactory = _ => CommandOptions.FromEnvironment("WEXIL_LOG_FORMAT") ?? Text,
        };
        format.AcceptOnlyFromAmong(Text, Json);
        return format;
    }

    private static Option<string[]> Proxies()
    {
        var proxies = new Option<string[]>("--trusted-proxy")
        {
            Description = "Address of a trusted reverse proxy; can be given several times.",
        };
        proxies.Validators.Add(result =>
        {
            foreach (var token in result.Tokens)
                if (!IPAddress.TryParse(token.Value, out _))
                    result.AddError($"--trusted-proxy is not an address such as 10.0.0.2: {token.Value}");
        });
        return proxies;
    }
}
