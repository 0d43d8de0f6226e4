using System.Net;
using Wexil.App.Wording;

namespace Wexil.Web.Studio.Account;

/// <summary>Somebody who tries to sign in.</summary>
/// <param name="Address">Where it comes from; null where that is not known.</param>
/// <param name="Account">Whom they try to sign in as; empty for a name that nobody has.</param>
/// <param name="Device">Of a browser from which that member signed in before; null for any other.</param>
public sealed record SignInAttempt(IPAddress? Address, string Account, string? Device = null);

/// <summary>
/// Slows wrong passwords down by the address they come from, and many of them for one account by the account. A browser
/// from which somebody signed in before is counted by itself, so that nobody locks them out.
/// </summary>
public sealed class SignInThrottle(TimeProvider time)
{
    /// <summary>So many wrong passwords in a row from one address, or one known browser, cost no waiting.</summary>
    public const int Free = 5;

    /// <summary>So many for one account from all unknown browsers together.</summary>
    public const int FreeForAccount = 100;

    private const int MaxRemembered = 10_000;

    /// <summary>The longest that anybody waits.</summary>
    public static readonly TimeSpan MaxWait = TimeSpan.FromMinutes(1);

    private static readonly TimeSpan Forgotten = TimeSpan.FromMinutes(15);

    // From a few addresses nobody gets so many for an account together that strangers to it have to wait.
    private static readonly TimeSpan AccountForgetsOneIn = Forgotten / FreeForAccount;

    private readonly Dictionary<string, Failures> _failures = [];
    private readonly Lock _lock = new();

    private sealed record Failures(double Count, DateTimeOffset Last);

    /// <param name="Free">So many cost no waiting.</param>
    /// <param name="ForgetsOneIn">How long it takes to forget one; null where all are forgotten at once.</param>
    private readonly record struct Counter(string Key, int Free, TimeSpan? ForgetsOneIn = null);

    /// <summary>
    /// Begins a try, which counts as wrong until <see cref="Succeed"/>: of many at the same moment no more are let
    /// through than of many one after the other.
    /// </summary>
    /// <returns>How long to wait instead; zero where the try has begun.</returns>
    public TimeSpan Begin(SignInAttempt attempt)
    {
        lock (_lock)
        {
            var counters = Counters(attempt);
            var wait = counters.Max(Wait);
            if (wait > TimeSpan.Zero)
                return wait;
            foreach (var counter in counters)
                Fail(counter);
            return TimeSpan.Zero;
        }
    }

    /// <summary>What is said while somebody has to wait.</summary>
    public static string Say(TimeSpan wait) =>
        "Too many wrong attempts. Try again in "
        + $"{Format.Count((long)Math.Ceiling(wait.TotalSeconds), "second", "seconds")}.";

    /// <summary>Forgets the wrong passwords of somebody who knew the right one, but not those of others.</summary>
    public void Succeed(SignInAttempt attempt)
    {
        lock (_lock)
        {
            var counters = Counters(attempt);
            _failures.Remove(counters[0].Key);
            foreach (var counter in counters.Skip(1))
                if (_failures.TryGetValue(counter.Key, out var failures))
                    _failures[counter.Key] = failures with { Count = Math.Max(0, failures.Count - 1) };
        }
    }

    private TimeSpan Wait(Counter counter)
    {
        if (!_failures.TryGetValue(counter.Key, out var failures) || CountOf(counter, failures) < counter.Free)
            return TimeSpan.Zero;
        var wait = TimeSpan.FromSeconds(Math.Min(MaxWait.TotalSeconds, Math.Pow(2, failures.Count - counter.Free)));
        var left = failures.Last + wait - time.GetUtcNow();
        return left > TimeSpan.Zero ? left : TimeSpan.Zero;
    }

    private void Fail(Counter counter)
    {
        var now = time.GetUtcNow();
        if (_failures.Count >= MaxRemembered)
            foreach (var (other, failures) in _failures)
                if (_failures.Count >= MaxRemembered / 2 || now - failures.Last > Forgotten)
                    _failures.Remove(other);
        var before = _failures.TryGetValue(counter.Key, out var known) ? CountOf(counter, known) : 0;
        _failures[counter.Key] = new(before + 1, now);
    }

    private double CountOf(Counter counter, Failures failures)
    {
        var since = time.GetUtcNow() - failures.Last;
        if (since > Forgotten)
            return 0;
        return counter.ForgetsOneIn is { } one ? Math.Max(0, failures.Count - since / one) : failures.Count;
    }

    /// <summary>What counts the wrong passwords; the first of it is the one who tries.</summary>
    private static Counter[] Counters(SignInAttempt attempt) =>
        attempt.Device is { } device
            ? [new("device " + device, Free)]
            :
            [
                new("address " + NetworkName.Of(attempt.Address), Free),
                new("account " + attempt.Account, FreeForAccount, AccountForgetsOneIn),
            ];
}
