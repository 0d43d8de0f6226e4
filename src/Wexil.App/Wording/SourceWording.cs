using Wexil.Store;

namespace Wexil.App.Wording;

/// <summary>Kinds of sources, for people and in links; what is stored is the kind's own name.</summary>
public static class SourceWording
{
    public static string Name(SourceKind kind) =>
        kind switch
        {
            SourceKind.Letter => "E-mail",
            SourceKind.Post => "Social post",
            _ => kind.ToString(),
        };

    /// <summary>As <c>utm_medium</c> in links: the words that other analytics know.</summary>
    public static string Medium(SourceKind kind) =>
        kind switch
        {
            SourceKind.Letter => "email",
            SourceKind.Post => "social",
            _ => kind.ToString().ToLowerInvariant(),
        };
}
