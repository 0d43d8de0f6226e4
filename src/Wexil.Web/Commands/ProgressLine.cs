namespace Wexil.Web.Commands;

/// <summary>How far a command is, in one line of a terminal; in a file, only what begins.</summary>
public sealed class ProgressLine : IDisposable
{
    private string _last = "";

    /// <summary>Something begins that may take a while.</summary>
    public void Begin(string what)
    {
        if (Console.IsErrorRedirected)
            Console.Error.WriteLine(what);
        else
            Draw(what);
    }

    /// <summary>How far it is.</summary>
    /// <param name="share">From 0 to 1.</param>
    public void Say(string what, double share)
    {
        var line = $"{what}: {Math.Floor(Math.Clamp(share, 0, 1) * 100):0}%";
        if (!Console.IsErrorRedirected && line != _last)
            Draw(line);
    }

    private void Draw(string line)
    {
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
