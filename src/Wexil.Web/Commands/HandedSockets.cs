using System.Globalization;

namespace Wexil.Web.Commands;

/// <summary>Sockets that systemd opened before it started the program (socket activation).</summary>
/// <remarks>By the protocol of sd_listen_fds(3): they begin with file 3, and each has a name.</remarks>
internal static class HandedSockets
{
    private const int First = 3;

    /// <summary>The file of the socket that has a name; null where none was handed in.</summary>
    public static ulong? Find(string name)
    {
        if (CommandOptions.FromEnvironment("LISTEN_PID") != $"{Environment.ProcessId}")
            return null;
        if (!int.TryParse(CommandOptions.FromEnvironment("LISTEN_FDS"), CultureInfo.InvariantCulture, out var count))
            return null;
        var names = (CommandOptions.FromEnvironment("LISTEN_FDNAMES") ?? "").Split(':');
        var at = Array.IndexOf(names, name);
        return at >= 0 && at < count ? (ulong)(First + at) : null;
    }
}
