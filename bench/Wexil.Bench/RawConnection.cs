using System.Buffers.Text;
using System.Net;
using System.Net.Sockets;

namespace Wexil.Bench;

/// <summary>
/// A keep-alive connection that sends requests as they are given, with as little work of its own as it can.
/// </summary>
public sealed class RawConnection : IDisposable
{
    private readonly Socket _socket = new(AddressFamily.InterNetwork, SocketType.Stream, ProtocolType.Tcp)
    {
        NoDelay = true,
    };
    private readonly byte[] _buffer = new byte[64 << 10];

    private RawConnection() { }

    public static async Task<RawConnection> OpenAsync(Uri address)
    {
        var connection = new RawConnection();
        await connection._socket.ConnectAsync(IPAddress.Parse(address.Host), address.Port);
        return connection;
    }

    /// <summary>Sends one request, and reads its answer to the end.</summary>
    /// <returns>The head of the answer until the next request; empty where the other side has closed.</returns>
    public async ValueTask<ReadOnlyMemory<byte>> AskAsync(ReadOnlyMemory<byte> request)
    {
        await _socket.SendAsync(request);
        var read = 0;
        int end;
        while ((end = _buffer.AsSpan(0, read).IndexOf("\r\n\r\n"u8)) < 0)
        {
            var more = await _socket.ReceiveAsync(_buffer.AsMemory(read));
            if (more == 0)
                return default;
            read += more;
        }
        var left = Length(_buffer.AsSpan(0, end)) - (read - end - 4);
        while (left > 0)
        {
            var more = await _socket.ReceiveAsync(_buffer.AsMemory(end, (int)Math.Min(left, _buffer.Length - end)));
            if (more == 0)
                return default;
            left -= more;
        }
        return _buffer.AsMemory(0, end);
    }

    public void Dispose() => _socket.Dispose();

    private static long Length(ReadOnlySpan<byte> head)
    {
        var at = head.IndexOf("Content-Length: "u8);
        return at >= 0 && Utf8Parser.TryParse(head[(at + "Content-Length: ".Length)..], out long length, out _)
            ? length
            : 0;
    }
}
