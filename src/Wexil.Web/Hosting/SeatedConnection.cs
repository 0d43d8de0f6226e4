using System.Diagnostics;
using System.IO.Pipelines;
using System.Net;
using Microsoft.AspNetCore.Connections;
using Microsoft.AspNetCore.Http.Features;

namespace Wexil.Web.Hosting;

/// <summary>A connection that has a place at a door, and gives it back when its socket is closed.</summary>
/// <param name="inner">The connection itself.</param>
/// <param name="seats">Where its place is.</param>
internal sealed class SeatedConnection(ConnectionContext inner, DoorSeats seats) : ConnectionContext
{
    private int _requests;
    private long _idleSince = Stopwatch.GetTimestamp();

    /// <summary>No request is being answered: one that has not come whole is none yet.</summary>
    public bool IsIdle => Volatile.Read(ref _requests) == 0;

    /// <summary>The end of its last request, or its beginning; in ticks of <see cref="Stopwatch"/>.</summary>
    public long IdleSince => Volatile.Read(ref _idleSince);

    /// <summary>It was refused, and only takes its time to go.</summary>
    public bool Leaves { get; set; }

    /// <summary>It was told to end, and has its place until its socket is closed.</summary>
    public bool IsEnded { get; private set; }

    public override string ConnectionId
    {
        get => inner.ConnectionId;
        set => inner.ConnectionId = value;
    }

    public override IFeatureCollection Features => inner.Features;

    public override IDictionary<object, object?> Items
    {
        get => inner.Items;
        set => inner.Items = value;
    }

    public override IDuplexPipe Transport
    {
        get => inner.Transport;
        set => inner.Transport = value;
    }

    public override CancellationToken ConnectionClosed
    {
        get => inner.ConnectionClosed;
        set => inner.ConnectionClosed = value;
    }

    public override EndPoint? LocalEndPoint
    {
        get => inner.LocalEndPoint;
        set => inner.LocalEndPoint = value;
    }

    public override EndPoint? RemoteEndPoint
    {
        get => inner.RemoteEndPoint;
        set => inner.RemoteEndPoint = value;
    }

    /// <summary>A request has come whole.</summary>
    public void Begin() => Interlocked.Increment(ref _requests);

    /// <summary>It is answered.</summary>
    public void End()
    {
        Volatile.Write(ref _idleSince, Stopwatch.GetTimestamp());
        Interlocked.Decrement(ref _requests);
    }

    public override void Abort(ConnectionAbortedException reason)
    {
        IsEnded = true;
        inner.Abort(reason);
    }

    public override async ValueTask DisposeAsync()
    {
        await inner.DisposeAsync();
        seats.Free(this);
        await base.DisposeAsync();
    }
}
