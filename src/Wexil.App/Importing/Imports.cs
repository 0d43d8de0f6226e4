using System.Collections.Concurrent;
using System.Security.Cryptography;
using Microsoft.Extensions.Logging;
using Wexil.App.Background;
using Wexil.App.Fetching;
using Wexil.Core.Common;
using Wexil.Pages.Serving;
using Wexil.Store;

namespace Wexil.App.Importing;

// Its token source has no timer and no handle, and may be used as long as somebody looks at the import.
#pragma warning disable CA1001
/// <summary>A page on its way in from an address.</summary>
public sealed class Import(string id, StepId step, Uri address) : IProgress<FetchProgress>
{
    private readonly CancellationTokenSource _stop = new();

    /// <summary>Names it in the address of its screen.</summary>
    public string Id => id;

    /// <summary>The step that the page is for.</summary>
    public StepId Step => step;

    /// <summary>Where it is fetched from.</summary>
    public Uri Address => address;

    /// <summary>How far it is.</summary>
    public FetchProgress Progress { get; private set; } = new(0, 1, 0, address.Host);

    /// <summary>Why it did not come in; null while it is under way or done.</summary>
    public string? Problem { get; set; }

    /// <summary>What came in; null while it is under way or failed.</summary>
    public Imported? Result { get; set; }

    /// <summary>It has neither ended nor failed.</summary>
    public bool IsUnderWay => Problem is null && Result is null;

    /// <summary>Is cancelled when the owner stops it.</summary>
    public CancellationToken Stopping => _stop.Token;

    /// <inheritdoc/>
    public void Report(FetchProgress value) => Progress = value;

    /// <summary>Stops it; what was fetched is dropped.</summary>
    public void Stop() => _stop.Cancel();
}
#pragma warning restore CA1001

/// <summary>A page that came in, whole or with files missing.</summary>
public sealed record Imported(PageId Page, Fetched Fetched);

/// <summary>Pages on their way in. They are kept until newer ones push them out.</summary>
public sealed class Imports(PageFetcher fetcher, PageStore pages, YieldingThreads threads, ILogger<Imports> logger)
    : IDisposable
{
    private static readonly Action<ILogger, Exception?> NotImported = LoggerMessage.Define(
        LogLevel.Error,
        new(1, nameof(Imports)),
        "A page could not be imported"
    );

    private const int MaxCount = 20,
        AtOnce = 2;
    private const string Stopped = "Stopped. Nothing was imported.";

    // Each may take the size of all its files.
    private readonly SemaphoreSlim _places = new(AtOnce);
    private readonly ConcurrentDictionary<string, Import> _imports = [];
    private readonly ConcurrentQueue<string> _order = [];

    /// <summary>Begins to fetch a page; the name is null for the page’s own title.</summary>
    public Import Start(StepId step, string? name, Uri address)
    {
        var import = new Import(NewId(), step, address);
        Remember(import.Id);
        _imports[import.Id] = import;
        _ = threads.RunAsync(() => Run(import, name));
        return import;
    }

    /// <summary>Null where there is none, or newer ones pushed it out.</summary>
    public Import? Find(string id) => _imports.GetValueOrDefault(id);

    private async Task Run(Import import, string? name)
    {
        try
        {
            await _places.WaitAsync(import.Stopping);
        }
        catch (OperationCanceledException)
        {
            import.Problem = Stopped;
            return;
        }
        try
        {
            await FetchAsync(import, name);
        }
        finally
        {
            _places.Release();
        }
    }

    private async Task FetchAsync(Import import, string? name)
    {
        try
        {
            var fetched = await fetcher.FetchAsync(import.Address, import, import.Stopping);
            var title = name ?? HostedHtml.Title(fetched.Bundle.Source(fetched.Bundle.Entry)) ?? import.Address.Host;
            var page = await pages.AddAsync(
                import.Step,
                title.Length <= 120 ? title : title[..120],
                fetched.Bundle,
                $"Imported from {import.Address}",
                isLive: false
            );
            import.Result = new(page, fetched);
        }
        catch (OperationCanceledException)
        {
            import.Problem = Stopped;
        }
        catch (Exception error) when (error is FetchException or StoreException)
        {
            import.Problem = error.Message;
        }
        catch (Exception error)
        {
            // Whatever it was, the person who waits is told that it is over.
            NotImported(logger, error);
            import.Problem = $"The page could not be imported: {error.Message}";
        }
    }

    /// <inheritdoc/>
    public void Dispose() => _places.Dispose();

    private void Remember(string id)
    {
        _order.Enqueue(id);
        while (_order.Count > MaxCount && _order.TryDequeue(out var old))
        {
            if (_imports.TryRemove(old, out var import))
                import.Stop();
        }
    }

    private static string NewId() => Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(12));
}
