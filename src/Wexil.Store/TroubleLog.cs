using System.Collections.Concurrent;
using Microsoft.Extensions.Logging;

namespace Wexil.Store;

/// <summary>
/// Logs what visitors do not notice because they are served all the same: at most once a minute for each thing, since
/// while the store is not well every visit comes by.
/// </summary>
public sealed class TroubleLog(ILogger<TroubleLog> logger, TimeProvider time)
{
    private static readonly TimeSpan Pause = TimeSpan.FromMinutes(1);
    private static readonly Action<ILogger, string, Exception?> Trouble = LoggerMessage.Define<string>(
        LogLevel.Warning,
        new(1, nameof(TroubleLog)),
        "{What}; the visitor was served all the same"
    );

    private readonly ConcurrentDictionary<string, DateTimeOffset> _said = [];

    /// <param name="what">What could not be done, without anything that names a person.</param>
    public void Say(string what, Exception error)
    {
        var now = time.GetUtcNow();
        if (_said.TryGetValue(what, out var last) && (now - last).Duration() < Pause)
            return;
        _said[what] = now;
        Trouble(logger, what, error);
    }
}
