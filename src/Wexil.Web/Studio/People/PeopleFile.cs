using Wexil.Core.Common;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

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
        var table = CsvTable.Read(text, MaxTextLength, MaxRows);
        var (email, tags) = (table.Find(EmailNames), table.Find("tags"));
        if (table.Columns.Count > 0 && email < 0)
            return ([], "There is no column called email. Add it to the header line.");
        PeopleRow[] rows = [.. table.Lines.Select(line => Row(line.Number, line[email], line[tags]))];
        var there = known([.. rows.Where(row => row.Problem is null).Select(row => row.Email)]);
        return ([.. rows.Select(row => row with { IsKnown = there.Contains(row.Email) })], table.Problem);
    }

    private static PeopleRow Row(int line, string email, string tags)
    {
        string[] own =
        [
            .. tags.Split(';', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)
                .Where(tag => tag.Length <= PeopleStore.MaxTagLength),
        ];
        return new(
            line,
            email,
            own,
            false,
            EmailAddress.IsValid(email) ? null
                : email.Length == 0 ? "No e-mail address."
                : "This is not an e-mail address."
        );
    }
}
