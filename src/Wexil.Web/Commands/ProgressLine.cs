namespace Wexil.Web.Commands;

/// <summary>How far a command is, in one line of a terminal; nothing where the output goes into a file.</summary>
internal sealed class ProgressLine : IDisposable
{
    private string _last = "";

    /// <param name="share">From 0 to 1.</param>
    public void Say(string what, double share)
    {
        var line = $"{what}: {Math.Floor(Math.Clamp(share, 0, 1) * 100):0}%";
        if (Console.IsErrorRedirected || line == _last)
            return;
        Console.Error.Write($"\r{line.PadRight(_last.Length)}");
        _last = line;
    }

    /// <summary>Takes the line away.</summary>
    public void End()
    {
        if (_last.Length > 0)
            Console.Error.Write($"\r{new string(' ', _last.Length)}\r");
        _last = "";
    }

    /// <inheritdoc/>
    public void Dispose() => End();
}
