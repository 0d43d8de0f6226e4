using System.Buffers.Binary;
using System.Text.Json;
using Microsoft.Extensions.Logging;

namespace Wexil.Store.Recording;

/// <summary>
/// Where events wait that the store could not take in time. Its space is taken when it is first made, so that it can be
/// written to when the disk is full. Frames of a length and JSON, one behind the other; a length of 0 is the end.
/// </summary>
internal sealed class SpillFile : IDisposable
{
    public const int DefaultBytes = 8 << 20;
    private const int Header = sizeof(int);
    private static readonly Action<ILogger, string, Exception?> Trouble = LoggerMessage.Define<string>(
        LogLevel.Error,
        new(1, nameof(SpillFile)),
        "The spill file {Trouble}"
    );

    private readonly FileStream? _file;
    private readonly ILogger _logger;
    private readonly int _size;
    private long _place;
    private bool _isUnwritable;

    private SpillFile(FileStream? file, int size, ILogger logger) => (_file, _size, _logger) = (file, size, logger);

    public bool IsEmpty => _place == 0;

    /// <summary>
    /// Opens the file, taking its space; where there is none to be had, everything is refused by
    /// <see cref="TryWrite"/>.
    /// </summary>
    public static SpillFile Open(string path, ILogger logger, int bytes = DefaultBytes)
    {
        try
        {
            var file = new FileStream(path, FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.Read, bufferSize: 0);
            try
            {
                var zeros = new byte[64 << 10];
                file.Seek(0, SeekOrigin.End);
                // Written, not only reserved: a sparse file has no space of its own.
                while (file.Length < bytes)
                    file.Write(zeros, 0, (int)Math.Min(zeros.Length, bytes - file.Length));
            }
            catch (IOException error)
            {
                // As much as there was room for.
                Trouble(logger, "has less room than it should", error);
            }
            return new(file, (int)Math.Min(file.Length, bytes), logger);
        }
        catch (Exception error) when (error is IOException or UnauthorizedAccessException)
        {
            Trouble(logger, "cannot be opened, so events wait only in memory while data cannot be saved", error);
            return new(null, 0, logger);
        }
    }

    /// <summary>The events that an earlier run left behind, oldest first.</summary>
    public List<JournalEvent> Read()
    {
        var events = new List<JournalEvent>();
        var header = new byte[Header];
        while (_file is not null && _place + Header <= _size)
        {
            _file.Position = _place;
            _file.ReadExactly(header);
            var length = BinaryPrimitives.ReadInt32LittleEndian(header);
            if (length <= 0 || _place + Header + length > _size)
                break;
            var frame = new byte[length];
            _file.ReadExactly(frame);
            try
            {
                events.Add(JsonSerializer.Deserialize<JournalEvent>(frame)!);
            }
            catch (JsonException error)
            {
                Trouble(_logger, "is damaged; what stands behind the damage is lost", error);
                break;
            }
            _place += Header + length;
        }
        return events;
    }

    /// <summary>False when there is no room left, or the file cannot be written.</summary>
    public bool TryWrite(JournalEvent happened)
    {
        if (_file is null)
            return false;
        var json = JsonSerializer.SerializeToUtf8Bytes(happened);
        if (_place + Header + json.Length + Header > _size)
            return false;
        var frame = new byte[Header + json.Length + Header];
        BinaryPrimitives.WriteInt32LittleEndian(frame, json.Length);
        json.CopyTo(frame, Header);
        try
        {
            _file.Position = _place;
            _file.Write(frame);
        }
        catch (IOException error)
        {
            // Said once: with a full disk every event comes by here.
            if (!_isUnwritable)
                Trouble(_logger, "cannot be written", error);
            _isUnwritable = true;
            return false;
        }
        _place += Header + json.Length;
        return true;
    }

    /// <summary>Forgets everything in it: it is in the store now.</summary>
    public void Clear()
    {
        if (_file is null || IsEmpty)
            return;
        try
        {
            _file.Position = 0;
            _file.Write(new byte[Header]);
            // Nobody who is removed later is to be found in what is left.
            Overwrite(_file, _place);
            _place = 0;
        }
        catch (IOException error)
        {
            Trouble(_logger, "cannot be cleared", error);
            // Tried again after the next commit; read twice, an event is still one event.
        }
    }

    private static void Overwrite(FileStream file, long upTo)
    {
        var zeros = new byte[64 << 10];
        for (var left = upTo - Header; left > 0; left -= zeros.Length)
            file.Write(zeros, 0, (int)Math.Min(zeros.Length, left));
    }

    public void Dispose() => _file?.Dispose();
}
