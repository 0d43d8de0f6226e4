using System.Collections.Concurrent;

namespace Wexil.App.Background;

/// <summary>Something that the program does by itself and that fails at present.</summary>
/// <param name="What">What fails, in words for the owner: "Telling ad networks".</param>
/// <param name="Since">When it failed first, of the failures in a row.</param>
public sealed record BackgroundProblem(string What, DateTimeOffset Since);

/// <summary>
/// What the program does by itself and cannot do at present. Today shows it; the log has the details.
/// </summary>
public sealed class BackgroundProblems(TimeProvider time)
{
    private readonly ConcurrentDictionary<string, BackgroundProblem> _problems = [];

    /// <summary>What fails, the oldest first.</summary>
    public IReadOnlyList<BackgroundProblem> All => [.. _problems.Values.OrderBy(problem => problem.Since)];

    /// <param name="key">What names the work, so that its next success can clear it.</param>
    public void Failed(string key, string what) => _problems.TryAdd(key, new(what, time.GetUtcNow()));

    /// <summary>The work of the key is well again.</summary>
    public void Succeeded(string key) => _problems.TryRemove(key, out _);
}
