using System.Security.Cryptography;
using System.Text;
using Wexil.Core.Common;

namespace Wexil.Web.Visitors.Documents;

/// <summary>The style sheets of the documents, and the source by which a content policy allows each.</summary>
public static class DocumentStyles
{
    /// <summary>Of a sentence or two.</summary>
    public static readonly string Plain = Read("plain.css");

    /// <summary>Of what the owner shows to others.</summary>
    public static readonly string Shared = Read("shared.css");

    /// <summary>A policy that allows nothing but the style, our typefaces and forms to ourselves.</summary>
    public static string Policy(string style) =>
        $"default-src 'none'; style-src '{Source(style)}'; font-src 'self'; form-action 'self'; base-uri 'none'; "
        + "frame-ancestors 'none'";

    private static string Source(string style) =>
        $"sha256-{Convert.ToBase64String(SHA256.HashData(Encoding.UTF8.GetBytes(style)))}";

    private static string Read(string file) =>
        EmbeddedText.Read(typeof(DocumentStyles).Assembly, $"Visitors.Documents.{file}");
}
