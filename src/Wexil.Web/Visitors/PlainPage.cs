using System.Globalization;
using Wexil.Web.Visitors.Documents;

namespace Wexil.Web.Visitors;

/// <summary>A sentence to a visitor where there is no page of the marketer's to show.</summary>
public static class PlainPage
{
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
