using System.CommandLine;

namespace Wexil.Web.Commands;

/// <summary>Where the two doors listen, on the command line.</summary>
public sealed class AddressOptions
{
    public Option<Uri?> Studio { get; } =
        CommandOptions.Address("--studio", "Address on which the signed-in side listens.", "http://localhost:5080");

    public Option<Uri?> Visitors { get; } =
        CommandOptions.Address(
            "--visitors",
            "Address for visitors; must use a different host name from --studio.",
            "http://127.0.0.1:5081"
        );
}
