namespace Wexil.Core.Visitors;

/// <summary>By what visitors are told to come from one hand; the numbers are stored.</summary>
public enum CrowdKind
{
    /// <summary>By the network of the address.</summary>
    Network = 6,

    /// <summary>By what the browser says of itself.</summary>
    Agent = 7,
}

/// <summary>
/// A visitor's network and browser, each as one of sixty-three numbers: enough to see that very many share one, and far
/// too little to know anybody by.
/// </summary>
/// <param name="Network">From 1 to <see cref="Numbers"/>; 0 where it is not known.</param>
/// <param name="Agent">Likewise.</param>
public readonly record struct Crowd(int Network, int Agent)
{
    /// <summary>How many there are; all networks and all browsers share them.</summary>
    public const int Numbers = 63;

    private const char Zero = '0';

    /// <summary>As two letters, none of which is a space.</summary>
    public override string ToString() => $"{(char)(Zero + Network)}{(char)(Zero + Agent)}";

    /// <summary>Reads what <see cref="ToString"/> wrote.</summary>
    public static Crowd Parse(ReadOnlySpan<char> text) => new(text[0] - Zero, text[1] - Zero);
}
