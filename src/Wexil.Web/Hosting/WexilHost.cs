using Microsoft.AspNetCore.Connections;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Server.Kestrel.Transport.Sockets;
using Microsoft.Extensions.Options;
using Wexil.App;
using Wexil.App.Health;
using Wexil.App.Outbox;
using Wexil.App.Serving;
using Wexil.App.Tickets;
using Wexil.Core.Common;
using Wexil.Core.Visitors;
using Wexil.Store;
using Wexil.Store.Recording;
using Wexil.Web.Studio;
using Wexil.Web.Visitors;
using Wexil.Web.Visitors.Callers;

namespace Wexil.Web.Hosting;

/// <summary>One Wexil: the store, and two doors in one process that share nothing but it.</summary>
public sealed class WexilHost : IAsyncDisposable
{
    /// <summary>No visitor sends a file, so nothing they send is large; in bytes.</summary>
    private const long LargestFromVisitors = 64 << 10;

    private static readonly TimeSpan HeadersWithin = TimeSpan.FromSeconds(15);

    private readonly DataFolder _folder;
    private readonly DoorPlaces _places;
    private readonly WebApplication _studio,
        _visitors;
    private readonly ServiceProvider _shared;
    private readonly ILoggerFactory _logs;

    private static readonly Action<ILogger, long, long, Exception?> FewPlaces = LoggerMessage.Define<long, long>(
        LogLevel.Warning,
        new(1, nameof(FewPlaces)),
        "The system lets Wexil open {Files} files, so at most {Visitors} visitors are connected at once; raise it"
    );

    private WexilHost(
        WexilOptions options,
        DataFolder folder,
        Database database,
        Journal journal,
        IServiceCollection shared,
        MemoryShares memory,
        ILoggerFactory logs
    )
    {
        (_folder, Database, Journal, Options, _logs) = (folder, database, journal, options, logs);
        _places = DoorPlaces.For(options.OpenFiles ?? OpenFileLimit.Read(), memory.Connections);
        if (_places.AreFew)
            FewPlaces(logs.CreateLogger<WexilHost>(), _places.Files, _places.Visitors, null);
        shared.AddSingleton(_places).AddSingleton(memory);
        var seal = TicketSeal.For(folder);
        seal.MakeKey();
        shared
            .AddSingleton<ITicketSeal>(seal)
            .AddSingleton(new MailOptions(options.Smtp, options.MailFrom, folder.Outbox))
            .AddSingleton(options.Backups)
            .AddSingleton(new CountryResolver(options.CountryHeader))
            .AddSingleton(new StudioAddress(options.StudioAddress))
            .AddSingleton(new VisitorsAddress(options.VisitorsAddress))
            .AddWexilStore(folder, database, journal)
            .AddWexilApp();
        _shared = Provide(shared, logs);
        // Beside each other: most of a start is compiling code that only one of them needs.
        var studio = Task.Run(() => BuildStudio(options, folder, shared));
        _visitors = BuildVisitors(options, shared);
        _studio = studio.GetAwaiter().GetResult();
    }

    public WexilOptions Options { get; }
    public Database Database { get; }
    public Journal Journal { get; }

    /// <summary>What both doors share.</summary>
    public IServiceProvider Services => _studio.Services;

    /// <summary>Opens the data folder and both doors.</summary>
    /// <exception cref="StoreException">The data cannot be used.</exception>
    /// <exception cref="IOException">An address is taken.</exception>
    public static async Task<WexilHost> StartAsync(
        WexilOptions options,
        TimeProvider? time = null,
        IChance? chance = null
    )
    {
        var folder = DataFolder.Open(options.Data);
        var isWarm = Task.WhenAll(Task.Run(Agents.Warm), Countries.ReadyAsync());
        var (database, journal, host) = ((Database?)null, (Journal?)null, (WexilHost?)null);
        var logs = LoggerFactory.Create(logging => Log(logging, options));
#pragma warning disable RS0030 // Where nobody hands a clock in, it is the machine's.
        time ??= TimeProvider.System;
#pragma warning restore RS0030
        try
        {
            database = Database.Open(folder, options.Traced);
            var memory = MemoryShares.For(options.Memory ?? GC.GetGCMemoryInfo().TotalAvailableMemoryBytes);
            journal = OpenJournal(database, folder, options, memory, logs);
            var shared = new ServiceCollection().AddSingleton(time).AddSingleton(chance ?? new SecureChance());
            await AddSecretsAsync(shared, new SettingStore(database, journal), folder, time);
            host = new WexilHost(options, folder, database, journal, shared, memory, logs);
            await isWarm;
            await host.OpenDoorsAsync();
            return host;
        }
        catch
        {
            if (host is not null)
            {
                await host.DisposeAsync();
                throw;
            }
            journal?.Dispose();
            database?.Dispose();
            folder.Dispose();
            logs.Dispose();
            throw;
        }
    }

    private static async Task AddSecretsAsync(
        IServiceCollection shared,
        SettingStore settings,
        DataFolder folder,
        TimeProvider time
    )
    {
        var seal = new SecretSeal(TicketSeal.ProtectionFor(folder));
        var secrets = new SecretStore(settings, seal, time);
        await secrets.SealAllAsync();
        var key = await secrets.TokenKeyAsync();
        shared.AddSingleton<ISecretSeal>(seal).AddSingleton(new VisitorToken(key)).AddSingleton(new CrowdNumbers(key));
    }

    private static Journal OpenJournal(
        Database database,
        DataFolder folder,
        WexilOptions options,
        MemoryShares memory,
        ILoggerFactory logs
    ) =>
        new(
            database,
            folder.SpillFile,
            new JournalOptions(options.SurvivePowerLoss, Memory: memory.Events),
            logs.CreateLogger<Journal>()
        );

    private async Task OpenDoorsAsync()
    {
        await Task.WhenAll(_visitors.StartAsync(), _studio.StartAsync());
        await LeaveAddressAsync();
        _folder.CloseToOthers();
    }

    /// <summary>Writes down where Studio is, for other commands of the program.</summary>
    private async Task LeaveAddressAsync()
    {
        var (file, address) = (_folder.StudioAddressFile, new StudioAddress(Options.StudioAddress).Origin);
        try
        {
            if (!File.Exists(file) || await File.ReadAllTextAsync(file) != address)
                await File.WriteAllTextAsync(file, address);
        }
        catch (IOException)
        {
            // A full disk is no reason not to start.
        }
    }

    /// <summary>Waits until the process is asked to end.</summary>
    public Task WaitForShutdownAsync() =>
        Task.WhenAny(_studio.WaitForShutdownAsync(), _visitors.WaitForShutdownAsync());

    public async ValueTask DisposeAsync()
    {
        await _visitors.DisposeAsync();
        await _studio.DisposeAsync();
        await _shared.DisposeAsync();
        Journal.Dispose();
        Database.Dispose();
        _folder.Dispose();
        _logs.Dispose();
    }

    private WebApplication BuildVisitors(WexilOptions options, IServiceCollection shared)
    {
        var builder = WebApplication.CreateSlimBuilder(Application());
        // Where something might log a request, the framework makes an activity for each; Kestrel tells of failures by
        // itself.
        Log(builder.Logging, options);
        builder.Logging.AddFilter("Microsoft.AspNetCore.Hosting.Diagnostics", LogLevel.None);
        // A waiting connection keeps its buffer, and a request is read in one call instead of two.
        builder.WebHost.UseSockets(sockets => sockets.WaitForDataBeforeAllocatingBuffer = false);
        builder.WebHost.ConfigureKestrel(kestrel =>
        {
            kestrel.AddServerHeader = false;
            kestrel.Limits.MaxRequestBodySize = LargestFromVisitors;
            kestrel.Limits.RequestHeadersTimeout = HeadersWithin;
            kestrel.Limits.KeepAliveTimeout = TimeSpan.FromMinutes(1);
            kestrel.ConfigureEndpointDefaults(listen => listen.Use(new ConnectionCap(options.TrustedProxies).Before));
        });
        Seat(builder.Services, _places.Visitors);
        builder.WebHost.ListenAt(options.Visitors, options.VisitorsHandle);
        AddShared(builder.Services, shared);
        builder.Services.AddVisitors();
        var app = builder.Build();
        var counts = app.Services.GetRequiredService<DoorCounts>().Visitors;
        app.Use(new TrustedProxies(options.TrustedProxies, options.CountryHeader).Invoke);
        app.Use(new DoorGuard(options.VisitorsAddress, options.VisitorsNames, Journal, counts).Invoke);
        app.UseOneTableARequest();
        app.MapVisitors();
        return app;
    }

    private WebApplication BuildStudio(WexilOptions options, DataFolder folder, IServiceCollection shared)
    {
        var builder = WebApplication.CreateBuilder(Application());
        // The keys lie in the data folder like everything else; whoever can read it needs no key.
        Log(builder.Logging, options);
        builder.Logging.AddFilter("Microsoft.AspNetCore.DataProtection", LogLevel.Error);
        builder.WebHost.ConfigureKestrel(kestrel =>
        {
            kestrel.AddServerHeader = false;
            kestrel.Limits.MaxRequestBodySize = BodyLimits.Stranger;
            kestrel.Limits.RequestHeadersTimeout = HeadersWithin;
            kestrel.ConfigureEndpointDefaults(listen => listen.Use(new ConnectionCap(options.TrustedProxies).Before));
        });
        Seat(builder.Services, _places.Studio);
        builder.WebHost.ListenAt(options.Studio, options.StudioHandle);
        AddShared(builder.Services, shared);
        builder
            .Services.AddDataProtection()
            .SetApplicationName(TicketSeal.Application)
            .PersistKeysToFileSystem(new DirectoryInfo(folder.Keys));
        builder.Services.AddStudio(options.FollowsClock);
        builder.Services.Configure<PasswordHasherOptions>(hasher => hasher.IterationCount = options.PasswordIterations);
        var app = builder.Build();
        var (counts, metrics) = (
            app.Services.GetRequiredService<DoorCounts>().Studio,
            app.Services.GetRequiredService<Metrics>()
        );
        app.Use(new TrustedProxies(options.TrustedProxies, options.CountryHeader).Invoke);
        app.Use(new DoorGuard(options.StudioAddress, [], Journal, counts, metrics, options.MetricsKey).Invoke);
        app.MapStudio();
        return app;
    }

    /// <summary>Lets a door accept as many connections as it has places. The last transport named is taken.</summary>
    private static void Seat(IServiceCollection services, int places) =>
        services
            .AddSingleton(new DoorSeats(places))
            .AddSingleton<IConnectionListenerFactory>(own => new SeatedTransport(
                new SocketTransportFactory(
                    own.GetRequiredService<IOptions<SocketTransportOptions>>(),
                    own.GetRequiredService<ILoggerFactory>()
                ),
                own.GetRequiredService<DoorSeats>()
            ));

    private static WebApplicationOptions Application() =>
        new()
        {
            ApplicationName = typeof(WexilHost).Assembly.GetName().Name,
            ContentRootPath = AppContext.BaseDirectory,
            EnvironmentName = Environments.Production,
        };

    private static void Log(ILoggingBuilder logging, WexilOptions options)
    {
        logging.ClearProviders().SetMinimumLevel(LogLevel.Warning);
        if (options.LogsJson)
            logging.AddJsonConsole(console =>
            {
                console.TimestampFormat = "yyyy-MM-ddTHH:mm:ssZ";
                console.UseUtcTimestamp = true;
            });
        else
            logging.AddSimpleConsole(console =>
            {
                console.SingleLine = true;
                console.TimestampFormat = "yyyy-MM-dd HH:mm:ss ";
                console.UseUtcTimestamp = true;
            });
    }

    /// <summary>What both doors share is made once; a type alone would be made by each door for itself.</summary>
    private static ServiceProvider Provide(IServiceCollection shared, ILoggerFactory logs)
    {
        var own = new ServiceCollection();
        foreach (var service in shared)
            ((ICollection<ServiceDescriptor>)own).Add(service);
        return own.AddSingleton(logs).AddSingleton(typeof(ILogger<>), typeof(Logger<>)).BuildServiceProvider();
    }

    private void AddShared(IServiceCollection services, IServiceCollection shared)
    {
        // A part that fails is a problem of its own and never the end of the program.
        services.Configure<HostOptions>(host =>
            host.BackgroundServiceExceptionBehavior = BackgroundServiceExceptionBehavior.Ignore
        );
        foreach (var service in shared)
            services.AddSingleton(service.ServiceType, _shared.GetRequiredService(service.ServiceType));
    }
}
