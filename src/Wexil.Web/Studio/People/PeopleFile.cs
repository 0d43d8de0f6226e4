using Wexil.Core.Common;
using Wexil.Store;
using Wexil.Web.Studio.Shared;

namespace Wexil.Web.Studio.People;

/// <summary>A line of a file of people: what it says, or what is wrong with it.</summary>
public sealed record PeopleRow(int Line, string Email, IReadOnlyList<string> Tags, bool IsKnown, string? Problem);

/// <summary>Reads people from CSV: a column of e-mail addresses, and one of tags if there is one.</summary>
public static class PeopleFile
{
    /// <summary>What a file can say.</summary>
    public static readonly TableKind Kind = new(
        "people",
        [
            new("email", "E-mail", ["email", "e-mail", "email address", "mail"], IsNeeded: true),
            new("tags", "Tags", ["tags", "tag"]),
        ],
        MaxLength: 1 << 20,
        MaxLines: 20_000
    );

    /// <summary>Every line, good or bad; none where a column is to be chosen first.</summary>
    public static IReadOnlyList<PeopleRow> Read(
        TableFile file,
        Func<IReadOnlyCollection<string>, IReadOnlySet<string>> known
    )
    {
        if (file.IsUnclear)
            return [];
        PeopleRow[] rows =
        [
            .. file.Lines.Select(line => Row(line.Number, file.Cell(line, "email"), file.Cell(line, "tags"))),
        ];
        var there = known([.. rows.Where(row => row.Problem is null).Select(row => row.Email)]);
        return [.. rows.Select(row => row with { IsKnown = there.Contains(row.Email) })];
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
