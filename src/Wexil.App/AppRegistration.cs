using Microsoft.Extensions.DependencyInjection;
using Wexil.App.Background;
using Wexil.App.Backups;
using Wexil.App.Drafts;
using Wexil.App.Fetching;
using Wexil.App.Health;
using Wexil.App.Importing;
using Wexil.App.Installation;
using Wexil.App.Monitoring;
using Wexil.App.Outbox;
using Wexil.App.Rehearsals;
using Wexil.App.Results;
using Wexil.App.Retention;
using Wexil.App.Serving;
using Wexil.App.Setup;
using Wexil.App.Tickets;
using Wexil.App.Visits;
using Wexil.App.Wording;

namespace Wexil.App;

/// <summary>What the program does, handed to whoever asks for it.</summary>
public static class AppRegistration
{
    /// <summary>
    /// Adds all of it; the store, a clock, chance, a ticket seal, the program's addresses, and
    /// where mail and backups go, have to be there already.
    /// </summary>
    public static IServiceCollection AddWexilApp(this IServiceCollection services) =>
        services
            .AddOwnCare()
            .AddVisits()
            .AddSingleton<BackgroundProblems>()
            .AddSingleton<ConfirmTickets>()
            .AddSingleton<OwnDeviceTickets>()
            .AddSingleton<PreviewTickets>()
            .AddSingleton<TryTickets>()
            .AddSingleton<ParsedPages>()
            .AddSingleton<DraftEditor>()
            .AddSingleton<PageFetcher>()
            .AddSingleton<Imports>()
            .AddSingleton<WaitingArchives>()
            .AddSingleton<ScriptInstallation>()
            .AddSingleton<LastSeen>()
            .AddSingleton<OwnerTime>()
            .AddSingleton<GoalWords>()
            .AddSingleton<TestReader>()
            .AddSingleton<CrowdReader>()
            .AddSingleton<CrowdAlarms>()
            .AddSingleton<Readings>()
            .AddSingleton<SectionsReader>()
            .AddSingleton<SectionWriter>()
            .AddSingleton<FirstTestGuide>()
            .AddSingleton<ConversionPath>()
            .AddSingleton<TestNames>()
            .AddSingleton<RehearsalDirector>()
            .AddSingleton<VerdictRecorder>()
            .AddSingleton<KeptGains>()
            .AddSingleton<MailSender>()
            .AddSingleton<OwnerMail>()
            .AddSingleton<OutboxDelivery>()
            .AddSingleton<PageMonitor>()
            .AddSingleton<TestMails>()
            .AddSingleton<TestMonitor>();

    /// <summary>What visitors are served.</summary>
    private static IServiceCollection AddVisits(this IServiceCollection services) =>
        services
            .AddSingleton<Routes>()
            .AddSingleton<TurnKeeper>()
            .AddSingleton<VisitService>()
            .AddSingleton<ServedPages>()
            .AddSingleton<HostedPages>()
            .AddSingleton<ShownSections>()
            .AddSingleton<FrameServing>()
            .AddSingleton<SectionHosts>();

    /// <summary>How the program looks after itself.</summary>
    private static IServiceCollection AddOwnCare(this IServiceCollection services) =>
        services
            .AddSingleton<YieldingThreads>()
            .AddSingleton<BackupFolder>()
            .AddSingleton<BackupSchedule>()
            .AddSingleton<RetentionWork>()
            .AddSingleton<DoorCounts>()
            .AddSingleton<HealthProblems>()
            .AddSingleton<HealthAlarm>()
            .AddSingleton<Metrics>();

    /// <summary>Lets what falls due be done by the clock.</summary>
    public static IServiceCollection AddPeriodicWork(this IServiceCollection services) =>
        services
            .AddHostedService(own => own.GetRequiredService<PageMonitor>())
            .AddHostedService(own => own.GetRequiredService<OutboxDelivery>())
            .AddHostedService(own => own.GetRequiredService<LastSeen>())
            .AddHostedService(own => own.GetRequiredService<TestMonitor>())
            .AddHostedService(own => own.GetRequiredService<Readings>())
            .AddHostedService(own => own.GetRequiredService<BackupSchedule>())
            .AddHostedService(own => own.GetRequiredService<RetentionWork>())
            .AddHostedService(own => own.GetRequiredService<HealthAlarm>());
}
