using System.Text.Json;

namespace Wexil.Store.Recording;

/// <summary>What an event remembers of an opt-in: the address, and what else was filled in.</summary>
public readonly record struct OptInNote(string Email, IReadOnlyDictionary<string, string> Fields)
{
    public const int MaxFields = 30,
        MaxFieldLength = 8000;

    public override string ToString() => Fields.Count == 0 ? Email : $"{Email}\n{JsonSerializer.Serialize(Fields)}";

    /// <summary>The address, and the fields as they are stored; empty for none.</summary>
    public static (string Email, string Fields) Split(string text) =>
        text.IndexOf('\n', StringComparison.Ordinal) is > 0 and var end ? (text[..end], text[(end + 1)..]) : (text, "");

    public static IReadOnlyDictionary<string, string> ReadFields(string stored) =>
        stored.Length == 0
            ? new Dictionary<string, string>()
            : JsonSerializer.Deserialize<Dictionary<string, string>>(stored)!;
}
