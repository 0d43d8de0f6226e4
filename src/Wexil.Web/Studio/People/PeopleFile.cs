using System.Globalization;
using System.Net.Mail;
using CsvHelper;
using CsvHelper.Configuration;
using Wexil.Store;

namespace Wexil.Web.Studio.People;

/// <summary>A line of a file of people: what it says, or what is wrong with it.</summary>
public sealed record PeopleRow(int Line, string Email, IReadOnlyList<string> Tags, bool IsKnown, string? Problem);

/// <summary>Reads people from CSV: a column of e-mail addresses, and one of tags if there is one.</summary>
public static class PeopleFile
{
    public const int MaxRows = 20_000,
        MaxTextLength = 1 << 20;
    private static readonly string[] EmailNames = ["email", "e-mail", "email address", "mail"];

    /// <summary>Every line, good or bad; and what is wrong with the file as a whole.</summary>
    public static (IReadOnlyList<PeopleRow> Rows, string? Problem) Read(
        string text,
        Func<IReadOnlyCollection<string>, IReadOnlySet<string>> known
    )
    {
        if (string.IsNullOrWhiteSpace(text))
            return ([], "Choose a file, or paste its lines.");
        if (text.Length > MaxTextLength)
            return ([], "The file is longer than 1 MB. Take it in in parts.");
        using var csv = new CsvReader(
            new StringReader(text),
            new CsvConfiguration(CultureInfo.InvariantCulture)
            {
                DetectDelimiter = true,
                TrimOptions = TrimOptions.Trim,
                MissingFieldFound = null,
                BadDataFound = null,
            }
        );
        var rows = new List<PeopleRow>();
        try
        {
            if (!csv.Read() || !csv.ReadHeader())
                return ([], "The file is empty.");
            var header = csv.HeaderRecord!;
            var email = Array.FindIndex(header, name =>
                EmailNames.Contains(name.Trim(), StringComparer.OrdinalIgnoreCase)
            );
            if (email < 0)
                return ([], "No column is called email. Name it so in the first line.");
            var tags = Array.FindIndex(header, name => name.Trim().Equals("tags", StringComparison.OrdinalIgnoreCase));
            while (csv.Read() && rows.Count < MaxRows)
                rows.Add(Row(csv.Parser.RawRow, csv.GetField(email) ?? "", tags < 0 ? "" : csv.GetField(tags) ?? ""));
        }
        catch (CsvHelperException error)
        {
            return ([], $"Line {error.Context?.Parser?.RawRow} cannot be read as CSV.");
        }
        var there = known([.. rows.Where(row => row.Problem is null).Select(row => row.Email)]);
        return (
            [.. rows.Select(row => row with { IsKnown = there.Contains(row.Email) })],
            rows.Count == 0 ? "Behind its first line the file is empty." : null
        );
    }

    private static PeopleRow Row(int line, string email, string tags)
    {
        string[] own =
        [
            .. tags.Split(';', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)
                .Where(tag => tag.Length <= PeopleStore.MaxTagLength),
        ];
        var isAddress =
            email.Length <= 254
            && MailAddress.TryCreate(email, out var address)
            && address.Address == email
            && address.Host.Contains('.');
        return new(
            line,
            email,
            own,
            false,
            isAddress ? null
                : email.Length == 0 ? "No address."
                : "This is no e-mail address."
        );
    }
}
