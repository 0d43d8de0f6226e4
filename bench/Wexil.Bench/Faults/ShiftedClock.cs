namespace Wexil.Bench.Faults;

/// <summary>The machine's clock, as much wrong as is said.</summary>
public sealed class ShiftedClock : TimeProvider
{
    public TimeSpan Shift { get; set; }

    public override DateTimeOffset GetUtcNow() => base.GetUtcNow() + Shift;
}
