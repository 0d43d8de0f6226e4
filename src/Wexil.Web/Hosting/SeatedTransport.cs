using System.Net;
using Microsoft.AspNetCore.Connections;

namespace Wexil.Web.Hosting;

/// <summary>Accepts a connection only when there is a place for it.</summary>
/// <param name="inner">The framework's own, over sockets.</param>
/// <param name="seats">The door's places.</param>
internal sealed class SeatedTransport(IConnectionListenerFactory inner, DoorSeats seats)
    : IConnectionListenerFactory,
        IConnectionListenerFactorySelector
{
    public bool CanBind(EndPoint endpoint) =>
        inner is not IConnectionListenerFactorySelector selector || selector.CanBind(endpoint);

    public async ValueTask<IConnectionListener> BindAsync(EndPoint endpoint, CancellationToken stop = default) =>
        new Listener(await inner.BindAsync(endpoint, stop), seats);

    private sealed class Listener(IConnectionListener inner, DoorSeats seats) : IConnectionListener
    {
        private readonly CancellationTokenSource _unbound = new();

        public EndPoint EndPoint => inner.EndPoint;

        public async ValueTask<ConnectionContext?> AcceptAsync(CancellationToken stop = default)
        {
            using var either = CancellationTokenSource.CreateLinkedTokenSource(stop, _unbound.Token);
            try
            {
                await seats.KeepPlaceAsync(either.Token);
            }
            catch (OperationCanceledException) when (_unbound.IsCancellationRequested)
            {
                return null;
            }
            ConnectionContext? connection = null;
            try
            {
                connection = await inner.AcceptAsync(stop);
            }
            finally
            {
                if (connection is null)
                    seats.Free();
            }
            return connection is null ? null : seats.Take(connection);
        }

        public async ValueTask UnbindAsync(CancellationToken stop = default)
        {
            await _unbound.CancelAsync();
            await inner.UnbindAsync(stop);
        }

        public async ValueTask DisposeAsync()
        {
            await _unbound.CancelAsync();
            await inner.DisposeAsync();
            _unbound.Dispose();
        }
    }
}
