namespace Wexil.Bench;

/// <summary>Figures as the benches print them, one below the other.</summary>
internal static class Figure
{
    public static string Padded(double number) => $"{number:N0}".PadLeft(9);
}
