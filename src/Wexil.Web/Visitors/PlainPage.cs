using System.Globalization;
using Wexil.Web.Visitors.Documents;

namespace Wexil.Web.Visitors;

/// <summary>A sentence to a visitor where there is no page of the marketer's to show.</summary>
public static class PlainPage
{
    /// <summary>Said at a link that has no page to show yet.</summary>
    public const string NotAvailable = "This page is not available yet. Please try again later.";

    public static Task Write(HttpContext http, int status, string sentence)
    {
        http.Response.StatusCode = status;
        http.Response.Headers.ContentSecurityPolicy = DocumentStyles.Policy(DocumentStyles.Plain);
        return DocumentRenderer.WriteAsync<Sentence>(
            http,
            (nameof(Sentence.Title), status.ToString(CultureInfo.InvariantCulture)),
            (nameof(Sentence.Words), sentence)
        );
    }
}
