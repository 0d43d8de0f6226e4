using Microsoft.Extensions.DependencyInjection;
using Wexil.Store.Recording;
using Wexil.Store.Retention;
using Wexil.Store.Team;

namespace Wexil.Store;

/// <summary>What is kept, handed to whoever asks for it.</summary>
public static class StoreRegistration
{
    /// <summary>
    /// Adds the open file and a store for each kind of object; a clock and a seal of secrets have to be there already.
    /// </summary>
    public static IServiceCollection AddWexilStore(
        this IServiceCollection services,
        DataFolder folder,
        Database database,
        Journal journal
    ) =>
        services
            .AddSingleton(folder)
            .AddSingleton(database)
            .AddSingleton(journal)
            .AddReading()
            .AddTeam()
            .AddRetention()
            .AddSingleton<AssetStore>()
            .AddSingleton<DraftStore>()
            .AddSingleton<FunnelStore>()
            .AddSingleton<GoalStore>()
            .AddSingleton<HeldOptInStore>()
            .AddSingleton<IdentityStore>()
            .AddSingleton<LookStore>()
            .AddSingleton<NumberStore>()
            .AddSingleton<OptInStore>()
            .AddSingleton<OutboxStore>()
            .AddSingleton<PageShelf>()
            .AddSingleton<PageStore>()
            .AddSingleton<PeopleStore>()
            .AddSingleton<RateStore>()
            .AddSingleton<RehearsalStore>()
            .AddSingleton<RouteStore>()
            .AddSingleton<SaleStore>()
            .AddSingleton<SecretStore>()
            .AddSingleton<SettingStore>()
            .AddSingleton<SizeStore>()
            .AddSingleton<SourceStore>()
            .AddSingleton<TestStore>()
            .AddSingleton<TroubleLog>()
            .AddSingleton<VerdictStore>()
            .AddSingleton<ExcludedPairStore>()
            .AddSingleton<WatchStore>()
            .AddSingleton<InstallationStore>();

    /// <summary>Who may sign in, is signed in, and did what.</summary>
    private static IServiceCollection AddTeam(this IServiceCollection services) =>
        services
            .AddSingleton<AuditLog>()
            .AddSingleton<InvitationStore>()
            .AddSingleton<SessionStore>()
            .AddSingleton<TeamStore>();

    /// <summary>What deletes what is old.</summary>
    private static IServiceCollection AddRetention(this IServiceCollection services) =>
        services.AddSingleton<OldPeople>().AddSingleton<PersonRemoval>().AddSingleton<VisitThinning>();

    /// <summary>What only reads.</summary>
    private static IServiceCollection AddReading(this IServiceCollection services) =>
        services
            .AddSingleton<ActivityStore>()
            .AddSingleton<CrowdStore>()
            .AddSingleton<EventStore>()
            .AddSingleton<EvidenceStore>()
            .AddSingleton<NamedPages>()
            .AddSingleton<SearchStore>()
            .AddSingleton<TallyStore>()
            .AddSingleton<TestListStore>();
}
