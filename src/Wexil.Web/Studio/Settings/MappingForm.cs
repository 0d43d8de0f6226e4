using Microsoft.AspNetCore.Mvc.ModelBinding;
using Wexil.Core.Common;
using Wexil.Core.Sales;

namespace Wexil.Web.Studio.Settings;

/// <summary>What a payment service calls things, as it is typed.</summary>
public sealed class MappingForm
{
    private const int MaxLength = 120;

    public string? SignatureHeader { get; set; }
    public string? TimestampHeader { get; set; }
    public string? Prefix { get; set; }
    public string? PassThrough { get; set; }
    public string? RefundWords { get; set; }
    public string? SaleWords { get; set; }
    public bool IsBase64 { get; set; }
    public bool InSmallestUnits { get; set; }
    public string? Fields { get; set; }

    public static MappingForm From(HookMapping mapping) =>
        new()
        {
            SignatureHeader = mapping.SignatureHeader,
            TimestampHeader = mapping.TimestampHeader,
            Prefix = mapping.Prefix,
            PassThrough = mapping.PassThrough,
            RefundWords = string.Join(", ", mapping.RefundWords),
            SaleWords = string.Join(", ", mapping.SaleWords ?? []),
            IsBase64 = mapping.IsBase64,
            InSmallestUnits = mapping.InSmallestUnits,
            Fields = string.Join('\n', mapping.Fields.Select(field => $"{field.Key} = {field.Value}")),
        };

    /// <summary>Reads it, or says by the fields what is wrong; null then.</summary>
    public HookMapping? Read(ModelStateDictionary state, string prefix)
    {
        void Wrong(string field, string problem) => state.AddModelError($"{prefix}.{field}", problem);
        var (signature, timestamp, parameter) = (
            SignatureHeader?.Trim() ?? "",
            TimestampHeader?.Trim() ?? "",
            PassThrough?.Trim() ?? ""
        );
        if (!IsName(signature))
            Wrong(nameof(SignatureHeader), $"Enter a header name, such as {HookSignature.SignatureHeader}.");
        if (timestamp.Length > 0 && !IsName(timestamp))
            Wrong(nameof(TimestampHeader), $"Enter a header name such as {HookSignature.TimestampHeader}, or none.");
        if (parameter.Length > 0 && (!IsName(parameter) || new AddressQuery.Part(parameter).IsOurs))
            Wrong(nameof(PassThrough), "Use letters, digits, - and _, such as custom.");
        var (fields, unread) = ReadFields();
        var names = string.Join(", ", HookMapping.Names);
        foreach (var line in unread)
            Wrong(nameof(Fields), $"Each line must be one of {names}, then = and the field. Not valid: {line}");
        if (fields.ContainsKey("type") && Words(SaleWords).Length == 0)
            Wrong(
                nameof(SaleWords),
                "Enter the type value for a sale. Other types, such as disputes or tests, are refused."
            );
        return state.ErrorCount > 0
            ? null
            : new(
                signature,
                timestamp,
                Prefix?.Trim() ?? "",
                IsBase64,
                InSmallestUnits,
                Words(RefundWords),
                parameter,
                fields,
                Words(SaleWords)
            );
    }

    private (Dictionary<string, string> Fields, List<string> Unread) ReadFields()
    {
        var (fields, unread) = (new Dictionary<string, string>(), new List<string>());
        var lines = (Fields ?? "").Split('\n', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries);
        foreach (var line in lines)
        {
            if (
                line.Split('=', StringSplitOptions.TrimEntries) is [var ours, { Length: > 0 and <= MaxLength } theirs]
                && HookMapping.Names.Contains(ours)
            )
                fields[ours] = theirs;
            else
                unread.Add(line);
        }
        return (fields, unread);
    }

    private static string[] Words(string? typed) =>
        [
            .. (typed ?? "")
                .Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)
                .Select(word => word.ToLowerInvariant()),
        ];

    private static bool IsName(string text) =>
        text.Length is > 0 and <= 60 && text.All(letter => char.IsAsciiLetterOrDigit(letter) || letter is '-' or '_');
}
