using System.Runtime.InteropServices;
using Wexil.Store;
using Wexil.Web.Hosting;

namespace Wexil.Web.Commands;

/// <summary>
/// Whether somebody has asked the program to end, from the moment this is made.
/// It is made before the host starts: a signal while the demo is still filled is a request like any other.
/// </summary>
public sealed class EndRequest : IDisposable
{
    private readonly PosixSignalRegistration[] _signals;
    private volatile bool _isAsked;

    public EndRequest() =>
        _signals = [.. new[] { PosixSignal.SIGINT, PosixSignal.SIGQUIT, PosixSignal.SIGTERM }.Select(Listen)];

    /// <summary>Waits until somebody asks the program to end; any other end is a failure.</summary>
    /// <exception cref="StoreException">The host stopped and nobody had asked.</exception>
    public async Task WaitAsync(WexilHost host)
    {
        await host.WaitForShutdownAsync();
        if (!_isAsked)
            throw new StoreException("Wexil stopped because of an error; see the lines above.");
    }

    public void Dispose()
    {
        foreach (var signal in _signals)
            signal.Dispose();
    }

    private PosixSignalRegistration Listen(PosixSignal signal) =>
        PosixSignalRegistration.Create(signal, _ => _isAsked = true);
}
