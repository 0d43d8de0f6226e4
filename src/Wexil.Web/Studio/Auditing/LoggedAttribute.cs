namespace Wexil.Web.Studio.Auditing;

/// <summary>What a handler does, for the log of who did what; every handler of a post says it.</summary>
/// <param name="deed">In words, such as "Started a test"; null where nothing is changed.</param>
[AttributeUsage(AttributeTargets.Method)]
public sealed class LoggedAttribute(string? deed) : Attribute
{
    /// <inheritdoc cref="LoggedAttribute"/>
    public string? Deed => deed;

    /// <summary>
    /// Done again and again in one sitting, such as typing: the first of each quarter of an hour is logged.
    /// </summary>
    public bool IsFrequent { get; init; }

    /// <summary>Begins or ends work of the program itself, and so writes nothing yet.</summary>
    public bool IsWork { get; init; }
}
