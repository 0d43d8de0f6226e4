using System.CommandLine;

namespace Wexil.Web.Commands;

/// <summary>Where the two doors listen, on the command line.</summary>
public sealed class AddressOptions
{
    public Option<Uri?> Studio { get; } =
        CommandOptions.Address(
            "--studio",
            "Address on which the signed-in side listens, or a socket: unix:/run/wexil/studio.sock.",
            "http://localhost:5080",
            mayBeSocket: true
        );

    public Option<Uri?> Visitors { get; } =
        CommandOptions.Address(
            "--visitors",
            "Address on which the visitors' side listens; browsers must see another host name than Studio's.",
            "http://127.0.0.1:5081",
            mayBeSocket: true
        );
}
