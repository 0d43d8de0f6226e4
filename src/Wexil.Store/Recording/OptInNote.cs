using System.Text.Json;

namespace Wexil.Store.Recording;

/// <summary>What an event remembers of an opt-in: the address, and what else was filled in.</summary>
public readonly record struct OptInNote(string Email, IReadOnlyDictionary<string, string> Fields)
{
    /// <summary>How many fields are kept, and how long each may be in characters.</summary>
    public const int MaxFields = 30,
        MaxFieldLength = 8000;

    /// <summary>As stored.</summary>
    public override string ToString() => Fields.Count == 0 ? Email : $"{Email}\n{JsonSerializer.Serialize(Fields)}";

    /// <summary>The address, and the fields as they are stored; empty for none.</summary>
    public static (string Email, string Fields) Split(string text) =>
        text.IndexOf('\n', StringComparison.Ordinal) is > 0 and var end ? (text[..end], text[(end + 1)..]) : (text, "");

    /// <summary>What was filled in besides the address, by the name of the field.</summary>
    public static IReadOnlyDictionary<string, string> ReadFields(string stored) =>
        stored.Length == 0
            ? new Dictionary<string, string>()
            : JsonSerializer.Deserialize<Dictionary<string, string>>(stored)!;
}
