namespace Wexil.Store;

/// <summary>An e-mail address that a visitor gave, and the page that won it.</summary>
public sealed record Lead(DateTimeOffset At, string Email, string Page);

/// <summary>Reads the leads.</summary>
public sealed class LeadStore(Database database)
{
    /// <summary>The newest leads first, at most so many.</summary>
    public IReadOnlyList<Lead> Newest(int limit) => database.Read(c => c.Rows(
        "SELECT l.at, l.email, p.name FROM leads l JOIN pages p ON p.id = l.page_id ORDER BY l.at DESC LIMIT $1",
        row => new Lead(row.Time(0), row.GetString(1), row.GetString(2)), limit));
}
